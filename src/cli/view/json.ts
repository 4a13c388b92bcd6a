/** Applied to every text before it is escaped; null to leave all as they are. */
type Safe = ((text: string) => string) | null;

/** A long list whose elements are turned into JSON one by one, so that they never lie in memory all at once. */
export class LazyList<Element> {
  readonly #elements: Iterable<Element>;
  readonly #toJson: (element: Element) => unknown;

  constructor(elements: Iterable<Element>, toJson: (element: Element) => unknown) {
    [this.#elements, this.#toJson] = [elements, toJson];
  }

  *texts(safe: Safe): Generator<string> {
    for (const element of this.#elements) yield write(this.#toJson(element), safe) ?? 'null';
  }
}

const pieceLength = 1 << 16;

/** The JSON text of a value in pieces of some 64 KiB; what JSON.stringify gives, lazy lists included, without a control character. */
export function* jsonPieces(value: unknown, safe: Safe = null): Generator<string> {
  let piece = '';
  for (const part of parts(value, safe)) {
    piece += part;
    if (piece.length < pieceLength) continue;
    yield escaped(piece);
    piece = '';
  }
  yield escaped(piece);
}

/**
 * RFC 8259 §7 asks for the escape of C0 controls only. A terminal obeys DEL and C1 controls too, and some readers take the line and
 * paragraph separators for ends of lines; all of them occur within texts alone.
 */
function escaped(json: string): string {
  return json.replace(
    /[\u007f-\u009f\u2028\u2029]/g,
    (letter) => `\\u${letter.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
}

function* parts(value: unknown, safe: Safe): Generator<string> {
  if (value instanceof LazyList) {
    yield* joined('[', value.texts(safe), ']');
  } else if (!isNested(value) || nodesIn(value, mostNodes) > 0) {
    yield write(value, safe) ?? 'null';
  } else if (Array.isArray(value)) {
    yield '[';
    for (const [index, element] of value.entries()) {
      if (index > 0) yield ',';
      yield* parts(element, safe);
    }
    yield ']';
  } else {
    let separator = '{';
    for (const [key, field] of Object.entries(value as object)) {
      if (field === undefined) continue;
      yield `${separator}${JSON.stringify(key)}:`;
      yield* parts(field, safe);
      separator = ',';
    }
    yield separator === '{' ? '{}' : '}';
  }
}

/** A value with fewer parts becomes text in one go. */
const mostNodes = 200;

/** What is left of a number of parts that a value may have: 0 or less when it has more, or a lazy list in it. */
function nodesIn(value: unknown, most: number): number {
  if (!isNested(value)) return most - 1;
  if (value instanceof LazyList) return 0;
  let left = most - 1;
  for (const key in value as object) {
    if (left <= 0) return 0;
    left = nodesIn((value as Readonly<Record<string, unknown>>)[key], left);
  }
  return left;
}

function write(value: unknown, safe: Safe): string | undefined {
  if (safe === null) return JSON.stringify(value);
  return JSON.stringify(value, (_key, inner: unknown) => (typeof inner === 'string' ? safe(inner) : inner));
}

function* joined(open: string, texts: Iterable<string>, close: string): Generator<string> {
  let separator = open;
  for (const text of texts) {
    yield separator + text;
    separator = ',';
  }
  yield separator === open ? open + close : close;
}

function isNested(value: unknown): boolean {
  return typeof value === 'object' && value !== null;
}
