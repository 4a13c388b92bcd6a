import { Refusal } from '../refusal.ts';

const maxDocument = 32 << 20;
const [quote, backslash, colon, comma, open, close] = [0x22, 0x5c, 0x3a, 0x2c, 0x7b, 0x7d];
const [openList, closeList] = [0x5b, 0x5d];

/**
 * Takes a publish document apart while it comes in: the base64 of `_attachments.*.data` goes out decoded, the rest is kept
 * as the document. Memory stays that of the document without its tarball.
 */
export class PublishBody {
  readonly #kept: Buffer[] = [];
  #keptBytes = 0;
  /** Keys under which the open objects and lists stand; null for the outermost and for items of lists. */
  readonly #path: (string | null)[] = [];
  #key: string | null = null;
  #string: number[] | null = null;
  #isEscaped = false;
  #isValue = false;
  #isData = false;
  #base64 = '';

  /** The decoded bytes of the attachment, as they come. */
  async *attachment(body: AsyncIterable<Uint8Array>): AsyncGenerator<Buffer> {
    for await (const piece of body) {
      const chunk = Buffer.from(piece.buffer, piece.byteOffset, piece.length);
      let at = 0;
      while (at < chunk.length) {
        if (!this.#isData) at = this.#readDocument(chunk, at);
        else {
          const end = chunk.indexOf(quote, at);
          const decoded = this.#decode(chunk.toString('latin1', at, end === -1 ? chunk.length : end), end !== -1);
          if (decoded.length > 0) yield decoded;
          this.#isData = end === -1;
          at = end === -1 ? chunk.length : end;
          if (end !== -1) this.#string = [];
        }
      }
    }
  }

  /** The document, its data empty. @throws Refusal 400 */
  document(): unknown {
    const text = Buffer.concat(this.#kept).toString('utf8');
    try {
      return text === '' ? undefined : JSON.parse(text);
    } catch {
      throw new Refusal(400, 'the body is no JSON');
    }
  }

  /** Reads on until the data begins or the chunk ends. @returns where that is. */
  #readDocument(chunk: Buffer, start: number): number {
    let at = start;
    for (; at < chunk.length && !this.#isData; at++) this.#readByte(chunk[at] ?? 0);
    this.#keptBytes += at - start;
    if (this.#keptBytes > maxDocument) throw new Refusal(413, 'the document is too long');
    this.#kept.push(Buffer.from(chunk.subarray(start, at)));
    return at;
  }

  #readByte(byte: number): void {
    if (this.#string !== null) {
      this.#readStringByte(this.#string, byte);
    } else if (byte === quote) {
      const [, first] = this.#path;
      this.#isData = this.#isValue && this.#key === 'data' && first === '_attachments' && this.#path.length === 3;
      this.#string = this.#isData ? null : [];
    } else if (byte === colon) this.#isValue = true;
    else if (byte === comma) this.#isValue = false;
    else if (byte === open || byte === openList) {
      this.#path.push(this.#isValue ? this.#key : null);
      this.#isValue = false;
    } else if (byte === close || byte === closeList) {
      this.#path.pop();
      this.#isValue = false;
    }
  }

  #readStringByte(string: number[], byte: number): void {
    if (this.#isEscaped) this.#isEscaped = false;
    else if (byte === backslash) this.#isEscaped = true;
    else if (byte === quote) {
      if (!this.#isValue) this.#key = Buffer.from(string).toString('utf8');
      this.#string = null;
      return;
    }
    if (string.length < 300) string.push(byte);
  }

  /** Four characters are three bytes; what is left over waits for the next chunk. */
  #decode(text: string, isLast: boolean): Buffer {
    const all = this.#base64 + (text.includes('\\') ? text.replaceAll('\\', '') : text);
    const whole = isLast ? all.length : all.length - (all.length % 4);
    this.#base64 = all.slice(whole);
    return Buffer.from(all.slice(0, whole), 'base64');
  }
}
