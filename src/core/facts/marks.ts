import { AnchorSearch } from './anchor-search.ts';
import { base64Runs, decodedText, isUtf16, withoutZeros } from './encoded-text.ts';
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
/** How many texts in base64 of one file are looked at, and how much of each. */
const maxDecodedRuns = 2000;
const maxDecodedBytes = 256 << 10;

/**
 * Looks for marks in bytes as they stream by: one search for all anchors goes over them, so the patterns run on almost nothing.
 * The end of each chunk is looked at again with the next one, so that a mark across two chunks is found.
 */
export class MarkScanner {
  readonly found: Mark[] = [];
  readonly #anchors: AnchorSearch;
  readonly #shapes = new Map<string, Shape[]>();
  #path = '';
  /** The last chunk of this file: counting its lines waits until there is another. It lies in one of two places in turn. */
  #last: Buffer = Buffer.alloc(0);
  #places: [Buffer, Buffer] = [Buffer.alloc(0), Buffer.alloc(0)];
  #linesBefore = 1;
  #countHere = 0;
  #isUtf16 = false;
  #decoded = 0;

  /** @param ownPlaces absolute folders of this machine: the home folder, temporary ones; null to look for secrets alone. */
  constructor(ownPlaces: readonly string[] | null = []) {
    for (const shape of [...secretShapes, ...(ownPlaces === null ? [] : [...placeShapes(ownPlaces), mapShape])])
      this.#shapes.set(shape.anchor, [...(this.#shapes.get(shape.anchor) ?? []), shape]);
    this.#anchors = new AnchorSearch([...this.#shapes.keys()]);
  }

  chunk(path: string, chunk: Uint8Array, isFirst: boolean): void {
    if (isFirst || path !== this.#path) {
      [this.#path, this.#last, this.#linesBefore, this.#countHere] = [path, Buffer.alloc(0), 1, 0];
      [this.#isUtf16, this.#decoded] = [isUtf16(chunk), 0];
    }
    const seen = Math.max(0, this.#last.length - overlap);
    this.#linesBefore += countLines(this.#last.subarray(0, seen));
    const again = this.#last.subarray(seen);
    // A copy: the reader may use the chunk's memory again.
    const bytes = this.#joined(again, this.#isUtf16 ? withoutZeros(chunk) : chunk);
    this.#last = bytes;
    this.#scan(bytes, (offset) => this.#linesBefore + countLines(bytes.subarray(0, offset)));
    this.#scanEncoded(bytes);
  }

  #joined(again: Buffer, chunk: Uint8Array): Buffer {
    const length = again.length + chunk.length;
    const [used, free] = this.#places;
    const room = free.length < length ? Buffer.allocUnsafeSlow(length) : free;
    this.#places = [room, used];
    room.set(again);
    room.set(chunk, again.length);
    return room.subarray(0, length);
  }

  /** @param lineAt the line of the file that an offset of the text is on. */
  #scan(bytes: Buffer, lineAt: (offset: number) => number, encoding = ''): void {
    let text: string | null = null;
    for (let from = 0; this.#countHere < maxPerFile; ) {
      const hit = this.#anchors.next(bytes, from);
      if (hit === null) return;
      text ??= bytes.toString('latin1');
      const { at, anchor } = hit;
      for (const shape of this.#shapes.get(anchor) ?? []) {
        if (encoding === '' || shape.kind === 'secret') this.#look(text, { at, shape, lineAt, encoding });
      }
      from = at + anchor.length;
    }
  }

  /** Secrets in base64, one level deep. */
  #scanEncoded(bytes: Buffer): void {
    for (const run of base64Runs(bytes)) {
      if (this.#decoded >= maxDecodedRuns || this.#countHere >= maxPerFile) return;
      const decoded = decodedText(bytes, run, maxDecodedBytes);
      if (decoded === null) continue;
      this.#decoded++;
      this.#scan(decoded, () => this.#linesBefore + countLines(bytes.subarray(0, run.start)), ', in base64');
    }
  }

  #look(
    text: string,
    {
      at,
      shape,
      lineAt,
      encoding,
    }: {
      readonly at: number;
      readonly shape: Shape;
      readonly lineAt: (offset: number) => number;
      readonly encoding: string;
    },
  ): void {
    const start = Math.max(0, at - shape.before);
    const window = text.slice(start, at + overlap);
    const match = shape.pattern.exec(window);
    // The anchor must lie inside the match: what stands further on has an anchor of its own.
    if (match === null || start + match.index > at) return;
    if (shape.isReal?.(match, lineBefore(text, at)) === false) return;
    const what = `${typeof shape.what === 'string' ? shape.what : shape.what(match)}${encoding}`;
    if (this.found.some((mark) => mark.path === this.#path && mark.kind === shape.kind && mark.what === what)) return;
    this.#countHere++;
    const line = lineAt(start + match.index);
    const { kind, severity } = shape;
    this.found.push({ path: this.#path, line, kind, what, ...(severity === undefined ? {} : { severity }) });
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
