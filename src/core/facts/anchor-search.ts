import { quotePattern } from '../text/quote-pattern.ts';

/** Where one of the anchors was found. */
export type AnchorHit = { readonly at: number; readonly anchor: string };

/**
 * Finds any of many short texts. An expression of all of them is asked only where two bytes are the beginning of one: on most
 * bytes, one look at a table has to do.
 */
export class AnchorSearch {
  readonly #here: RegExp;
  /** 1 for each two bytes that an anchor begins with, and for each two that may follow its first one. */
  readonly #beginnings = new Uint8Array(1 << 16);
  readonly #seconds = new Uint8Array(1 << 16);
  readonly #isShort: boolean;

  /** @param anchors not empty ones. */
  constructor(anchors: readonly string[]) {
    this.#here = new RegExp(oneOf(anchors), 'y');
    this.#isShort = anchors.some(({ length }) => length === 1);
    for (const anchor of anchors) {
      allow(this.#beginnings, anchor.charCodeAt(0), anchor.charCodeAt(1));
      allow(this.#seconds, anchor.charCodeAt(1), anchor.charCodeAt(2));
    }
  }

  /**
   * The first anchor from an offset on; where several begin there, the longest.
   * @param text the bytes, each as a character (latin1).
   */
  next(text: string, bytes: Uint8Array, from: number): AnchorHit | null {
    const [beginnings, seconds] = [this.#beginnings, this.#seconds];
    const end = bytes.length - (this.#isShort ? 0 : 1);
    for (let at = from; at < end; at++) {
      const second = bytes[at + 1] as number;
      if (beginnings[((bytes[at] as number) << 8) | second] !== 1) continue;
      if (seconds[(second << 8) | (bytes[at + 2] as number)] !== 1) continue;
      this.#here.lastIndex = at;
      const hit = this.#here.exec(text);
      if (hit !== null) return { at, anchor: hit[0] };
    }
    return null;
  }
}

/** Marks two characters in a table of bytes; NaN stands for any, where the text is at its end. */
function allow(table: Uint8Array, first: number, second: number): void {
  // What is beyond a byte is in no text of bytes.
  if (first > 255 || second > 255) return;
  if (Number.isNaN(first)) table.fill(1);
  else if (Number.isNaN(second)) table.fill(1, first << 8, (first + 1) << 8);
  else table[(first << 8) | second] = 1;
}

/**
 * The pattern of any of these texts, the longest first, as a tree of their beginnings: what begins alike is looked at once, which
 * is several times as fast as one text after the other.
 */
function oneOf(texts: readonly string[]): string {
  const byFirst = new Map<string, string[]>();
  for (const text of texts)
    if (text !== '') byFirst.set(text.charAt(0), [...(byFirst.get(text.charAt(0)) ?? []), text.slice(1)]);
  const branches = [...byFirst].map(
    ([first, rests]) => quotePattern(first) + (rests.join('') === '' ? '' : oneOf(rests)),
  );
  const [only = ''] = branches;
  if (texts.includes('')) return `(?:${branches.join('|')})?`;
  return branches.length === 1 ? only : `(?:${branches.join('|')})`;
}
