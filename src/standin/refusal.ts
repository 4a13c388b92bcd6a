/** A refusal as a protocol tells it: a status, a sentence, and headers where the protocol wants them. */
export class Refusal extends Error {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  constructor(status: number, message: string, headers: Readonly<Record<string, string>> = {}) {
    super(message);
    [this.status, this.headers] = [status, headers];
  }
}

/** Decodes a part of an address. */
export function decodePart(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    throw new Refusal(400, 'the address is not well-formed');
  }
}
