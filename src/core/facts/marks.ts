import { quotePattern } from '../text/quote-pattern.ts';
import { placeShapes } from './place-shapes.ts';
import { secretShapes } from './secret-shapes.ts';
import type { Mark, Shape } from './shape.ts';

const mapShape: Shape = {
  kind: 'map',
  anchor: 'sourceMappingURL=',
  before: 4,
  // ECMA-426, "Linking generated code to source maps": only as a comment that begins a line or ends one.
  pattern: /(?:\/\/|\/\*)[#@] ?sourceMappingURL=([^\s'"`*]+)[ \t]*(?:\*\/[ \t]*)?(?=[\r\n]|$)/,
  what: (match) => match[1] ?? '',
};

const overlap = 4096;
const maxPerFile = 20;
const maxBefore = 200;

/**
 * Looks for marks in bytes as they stream by: one expression of all anchors goes over the text, so the patterns run on almost
 * nothing. The end of each chunk is looked at again with the next one, so that a mark across two chunks is found.
 */
export class MarkScanner {
  readonly found: Mark[] = [];
  readonly #anchors: RegExp;
  readonly #shapes = new Map<string, Shape[]>();
  #path = '';
  /** The last chunk of this file: counting its lines waits until there is another. */
  #last: Buffer = Buffer.alloc(0);
  #linesBefore = 1;
  #countHere = 0;

  /** @param ownPlaces absolute folders of this machine: the home folder, temporary ones. */
  constructor(ownPlaces: readonly string[] = []) {
    for (const shape of [...secretShapes, ...placeShapes(ownPlaces), mapShape])
      this.#shapes.set(shape.anchor, [...(this.#shapes.get(shape.anchor) ?? []), shape]);
    // Of anchors that begin alike the longer one comes first.
    const anchors = [...this.#shapes.keys()].sort((a, b) => b.length - a.length);
    this.#anchors = new RegExp(anchors.map(quotePattern).join('|'), 'g');
  }

  chunk(path: string, chunk: Uint8Array, isFirst: boolean): void {
    if (isFirst || path !== this.#path)
      [this.#path, this.#last, this.#linesBefore, this.#countHere] = [path, Buffer.alloc(0), 1, 0];
    const seen = Math.max(0, this.#last.length - overlap);
    this.#linesBefore += countLines(this.#last.subarray(0, seen));
    const again = this.#last.subarray(seen);
    // A copy: the reader may use the chunk's memory again.
    const bytes = Buffer.concat([again, chunk]);
    this.#last = bytes;
    const text = bytes.toString('latin1');
    this.#anchors.lastIndex = 0;
    for (let hit = this.#anchors.exec(text); hit !== null; hit = this.#anchors.exec(text)) {
      if (this.#countHere >= maxPerFile) return;
      for (const shape of this.#shapes.get(hit[0]) ?? []) this.#look(text, hit.index, shape);
    }
  }

  #look(text: string, at: number, shape: Shape): void {
    const start = Math.max(0, at - shape.before);
    const window = text.slice(start, at + overlap);
    const match = shape.pattern.exec(window);
    // The anchor must lie inside the match: what stands further on has an anchor of its own.
    if (match === null || start + match.index > at) return;
    if (shape.isReal?.(match, lineBefore(text, at)) === false) return;
    const what = typeof shape.what === 'string' ? shape.what : shape.what(match);
    if (this.found.some((mark) => mark.path === this.#path && mark.kind === shape.kind && mark.what === what)) return;
    this.#countHere++;
    const line = this.#linesBefore + countLines(Buffer.from(text.slice(0, start + match.index), 'latin1'));
    this.found.push({ path: this.#path, line, kind: shape.kind, what });
  }
}

/** What stands before on the same line, as far as it matters. */
function lineBefore(text: string, at: number): string {
  const before = text.slice(Math.max(0, at - maxBefore), at);
  return before.slice(before.lastIndexOf('\n') + 1);
}

function countLines(bytes: Buffer): number {
  let count = 0;
  for (let at = bytes.indexOf(10); at !== -1; at = bytes.indexOf(10, at + 1)) count++;
  return count;
}
