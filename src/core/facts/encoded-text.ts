/** Part of some bytes. */
export type Run = { readonly start: number; readonly end: number };

const isBase64 = new Uint8Array(256);
for (const letter of 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/-_')
  isBase64[letter.charCodeAt(0)] = 1;

const leastRun = 40;
/** Lines of wrapped base64 are at least this long (RFC 2045 §6.8 has 76, RFC 7468 §2 has 64). */
const leastLine = 60;

/** Runs of base64 or base64url (RFC 4648 §4, §5), also over lines of one length. */
export function base64Runs(bytes: Uint8Array): Run[] {
  const runs: Run[] = [];
  let from = 0;
  // A run that is long enough covers one of these places: the others are looked at only around it.
  for (let at = leastRun - 1; at < bytes.length; at += leastRun) {
    if (at < from || isBase64[bytes[at] as number] === 0) continue;
    let start = at;
    while (start > from && isBase64[bytes[start - 1] as number] === 1) start--;
    const end = endOfRun(bytes, start, at + 1);
    if (end - start >= leastRun) runs.push({ start, end });
    from = end;
  }
  return runs;
}

/** @param from where to go on; all before it belongs to the run. */
function endOfRun(bytes: Uint8Array, start: number, from: number): number {
  let line = start;
  for (let at = from; ; ) {
    while (at < bytes.length && isBase64[bytes[at] as number] === 1) at++;
    const next = bytes[at] === 10 ? at + 1 : bytes[at] === 13 && bytes[at + 1] === 10 ? at + 2 : -1;
    if (next === -1 || at - line < leastLine || next >= bytes.length || isBase64[bytes[next] as number] === 0)
      return at;
    at = next;
    line = next;
  }
}

const headBytes = 64;

/** The bytes of text in base64; null when what is in it is none. */
export function decodedText(bytes: Uint8Array, { start, end }: Run, most: number): Buffer | null {
  const encoded = (to: number) => Buffer.from(bytes.buffer, bytes.byteOffset + start, to - start).toString('latin1');
  if (!isText(Buffer.from(encoded(Math.min(end, start + headBytes)), 'base64'))) return null;
  return Buffer.from(encoded(Math.min(end, start + most)), 'base64');
}

function isText(bytes: Uint8Array): boolean {
  let printable = 0;
  for (const byte of bytes) if ((byte >= 32 && byte < 127) || byte === 9 || byte === 10 || byte === 13) printable++;
  return printable >= bytes.length * 0.95;
}

/** Whether bytes are the beginning of UTF-16 text in a language that is written with ASCII letters: by mark, or by their zeros. */
export function isUtf16(head: Uint8Array): boolean {
  if ((head[0] === 0xff && head[1] === 0xfe) || (head[0] === 0xfe && head[1] === 0xff)) return true;
  const looked = Math.min(head.length, 256) & ~1;
  if (looked < 16) return false;
  const zeros = [0, 0];
  for (let at = 0; at < looked; at++) if (head[at] === 0) zeros[at % 2] = (zeros[at % 2] ?? 0) + 1;
  const [even = 0, odd = 0] = zeros;
  return Math.max(even, odd) >= looked * 0.4 && Math.min(even, odd) <= looked * 0.02;
}

/** The same text with one byte for each ASCII letter. */
export function withoutZeros(bytes: Uint8Array): Buffer {
  return Buffer.from(bytes.filter((byte) => byte !== 0));
}
