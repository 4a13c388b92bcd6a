/** Where one of the anchors was found. */
export type AnchorHit = { readonly at: number; readonly anchor: string };

/** An anchor, and its bytes from the third one on. */
type Listed = { readonly anchor: string; readonly rest: Uint8Array };

// What two bytes may be: the first two of an anchor, its second and third.
const first = 1;
const later = 2;

/**
 * Finds any of many short texts in bytes. Bytes are looked at two at a time, as one number: only where a table says that an
 * anchor may begin there or one byte before, the anchors themselves are compared.
 */
export class AnchorSearch {
  /** By the number that two bytes are in this machine's order. */
  readonly #kinds = new Uint8Array(1 << 16);
  /** By the first byte and the second: which of the lists has the anchors that begin with them, from 1. */
  readonly #listOf = new Uint16Array(1 << 16);
  readonly #lists: Listed[][] = [[]];

  /** @param anchors of two characters or more. */
  constructor(anchors: readonly string[]) {
    for (const anchor of [...anchors].sort((a, b) => b.length - a.length)) {
      // What is beyond a byte is in no bytes.
      if ([...anchor].some((letter) => letter > '\xff')) continue;
      const bytes = Buffer.from(anchor, 'latin1');
      const [one = 0, two = 0, three] = bytes;
      const begin = (one << 8) | two;
      if (this.#listOf[begin] === 0) this.#listOf[begin] = this.#lists.push([]) - 1;
      this.#lists[this.#listOf[begin] ?? 0]?.push({ anchor, rest: bytes.subarray(2) });
      this.#mark(first, one, two);
      for (let any = 0; any < 256; any++) if (any === (three ?? any)) this.#mark(later, two, any);
    }
  }

  #mark(kind: number, one: number, two: number): void {
    const [pair = 0] = new Uint16Array(Uint8Array.of(one, two).buffer);
    this.#kinds[pair] = (this.#kinds[pair] ?? 0) | kind;
  }

  /** The first anchor from an offset on; where several begin there, the longest. */
  next(bytes: Uint8Array, from: number): AnchorHit | null {
    if (bytes.length < 2) return null;
    // Two bytes as one number have to lie at an even address.
    const odd = bytes.byteOffset & 1;
    const pairs = new Uint16Array(bytes.buffer, bytes.byteOffset + odd, (bytes.length - odd) >> 1);
    const kinds = this.#kinds;
    for (let index = Math.max(0, (from - odd) >> 1); index < pairs.length; index++) {
      const kind = kinds[pairs[index] as number] as number;
      if (kind === 0) continue;
      const at = odd + 2 * index;
      const hit =
        ((kind & later) !== 0 && at > from ? this.#at(bytes, at - 1) : null) ??
        ((kind & first) !== 0 && at >= from ? this.#at(bytes, at) : null);
      if (hit !== null) return hit;
    }
    // Of an anchor of two bytes at the very end, a pair may have the first byte alone.
    const last = bytes.length - 2;
    return last >= from ? this.#at(bytes, last) : null;
  }

  #at(bytes: Uint8Array, at: number): AnchorHit | null {
    const list = this.#listOf[((bytes[at] as number) << 8) | (bytes[at + 1] as number)] as number;
    return list === 0 ? null : this.#longest(list, bytes, at);
  }

  #longest(list: number, bytes: Uint8Array, at: number): AnchorHit | null {
    for (const { anchor, rest } of this.#lists[list] as readonly Listed[]) {
      let same = 0;
      while (same < rest.length && rest[same] === bytes[at + 2 + same]) same++;
      if (same === rest.length) return { at, anchor };
    }
    return null;
  }
}
