/** An archive that readers understand in different ways; the message says where. */
export class Ambiguity extends Error {
  override readonly name = 'Ambiguity';
}
