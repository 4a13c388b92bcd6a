import { placeShapes } from './place-shapes.ts';
import { secretShapes } from './secret-shapes.ts';
import type { Mark, Shape } from './shape.ts';

const mapShape: Shape = {
  kind: 'map',
  anchor: 'gU',
  before: 24,
  // ECMA-426, "Linking generated code to source maps": only as a comment that begins a line or ends one.
  pattern: /(?:\/\/|\/\*)[#@] ?sourceMappingURL=([^\s'"`*]+)[ \t]*(?:\*\/[ \t]*)?(?=[\r\n]|$)/,
  what: (match) => match[1] ?? '',
};

const overlap = 4096;
const mostPerFile = 20;
const mostBefore = 200;

/**
 * Looks for marks in bytes as they stream by: one pass that asks of every two neighbouring bytes whether anything may begin
 * there, so the patterns run on almost nothing. Keeps the last 4 KiB so that a mark across two chunks is found.
 */
export class MarkScanner {
  readonly found: Mark[] = [];
  readonly #isAnchor = new Uint8Array(1 << 16);
  readonly #shapes = new Map<number, Shape[]>();
  #path = '';
  #rest: Buffer = Buffer.alloc(0);
  #linesBefore = 1;
  #countHere = 0;

  /** @param ownPlaces absolute folders of this machine: the home folder, temporary ones. */
  constructor(ownPlaces: readonly string[] = []) {
    for (const shape of [...secretShapes, ...placeShapes(ownPlaces), mapShape]) {
      const code = (shape.anchor.charCodeAt(0) << 8) | shape.anchor.charCodeAt(1);
      this.#isAnchor[code] = 1;
      this.#shapes.set(code, [...(this.#shapes.get(code) ?? []), shape]);
    }
  }

  chunk(path: string, chunk: Uint8Array, isFirst: boolean): void {
    if (isFirst || path !== this.#path)
      [this.#path, this.#rest, this.#linesBefore, this.#countHere] = [path, Buffer.alloc(0), 1, 0];
    const fresh = Buffer.from(chunk.buffer, chunk.byteOffset, chunk.byteLength);
    const bytes = this.#rest.length === 0 ? fresh : Buffer.concat([this.#rest, fresh]);
    const isAnchor = this.#isAnchor;
    let lines = 0;
    let two = 0;
    const kept = Math.max(0, bytes.length - overlap);
    let linesKept = 0;
    for (let at = 0; at < bytes.length; at++) {
      const byte = bytes[at] as number;
      if (at === kept) linesKept = lines;
      two = ((two << 8) | byte) & 0xffff;
      if (isAnchor[two] === 1 && at > 0 && this.#countHere < mostPerFile) this.#look(bytes, at - 1, two, lines);
      if (byte === 10) lines++;
    }
    this.#linesBefore += kept === 0 ? 0 : linesKept;
    // A copy: the reader may use the chunk's memory again.
    this.#rest = Buffer.from(bytes.subarray(kept));
  }

  #look(bytes: Buffer, at: number, code: number, linesSoFar: number): void {
    for (const shape of this.#shapes.get(code) ?? []) {
      const start = Math.max(0, at - shape.before);
      const window = bytes.toString('latin1', start, Math.min(bytes.length, at + overlap));
      const match = shape.pattern.exec(window);
      // The anchor must lie inside the match: what stands further on has an anchor of its own.
      if (match === null || start + match.index > at || shape.isReal?.(match, lineBefore(bytes, at)) === false)
        continue;
      const what = typeof shape.what === 'string' ? shape.what : shape.what(match);
      const isKnown = this.found.some((one) => one.path === this.#path && one.kind === shape.kind && one.what === what);
      if (isKnown) continue;
      this.#countHere++;
      const back = countLines(bytes.subarray(start + match.index, at));
      this.found.push({
        path: this.#path,
        line: this.#linesBefore + linesSoFar - back,
        kind: shape.kind,
        what,
      });
    }
  }
}

/** What stands before on the same line, as far as it matters. */
function lineBefore(bytes: Buffer, at: number): string {
  const text = bytes.toString('latin1', Math.max(0, at - mostBefore), at);
  return text.slice(text.lastIndexOf('\n') + 1);
}

function countLines(bytes: Uint8Array): number {
  let count = 0;
  for (const byte of bytes) if (byte === 10) count++;
  return count;
}
