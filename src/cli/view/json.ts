/** A long list whose elements are turned into JSON one by one, so that they never lie in memory all at once. */
export class LazyList<Element> {
  readonly #elements: Iterable<Element>;
  readonly #toJson: (element: Element) => unknown;

  constructor(elements: Iterable<Element>, toJson: (element: Element) => unknown) {
    [this.#elements, this.#toJson] = [elements, toJson];
  }

  *texts(): Generator<string> {
    for (const element of this.#elements) yield JSON.stringify(this.#toJson(element));
  }
}

const pieceLength = 1 << 16;

/** The JSON text of a value in pieces of some 64 KiB; what JSON.stringify gives, lazy lists included. */
export function* jsonPieces(value: unknown): Generator<string> {
  let piece = '';
  for (const part of parts(value)) {
    piece += part;
    if (piece.length < pieceLength) continue;
    yield piece;
    piece = '';
  }
  yield piece;
}

function* parts(value: unknown): Generator<string> {
  if (value instanceof LazyList) {
    yield* joined('[', value.texts(), ']');
  } else if (Array.isArray(value) && value.some(isNested)) {
    yield '[';
    for (const [index, element] of value.entries()) {
      if (index > 0) yield ',';
      yield* parts(element);
    }
    yield ']';
  } else if (isNested(value) && !Array.isArray(value)) {
    let separator = '{';
    for (const [key, field] of Object.entries(value as object)) {
      if (field === undefined) continue;
      yield `${separator}${JSON.stringify(key)}:`;
      yield* parts(field);
      separator = ',';
    }
    yield separator === '{' ? '{}' : '}';
  } else {
    yield JSON.stringify(value) ?? 'null';
  }
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
