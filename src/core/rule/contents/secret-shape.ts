/** A kind of secret and how it looks. Shapes with a fixed mark in front only, so that hashes and ids raise no alarm. */
type Shape = { readonly what: string; readonly pattern: RegExp; readonly isReal?: (text: string) => boolean };

const shapes: readonly Shape[] = [
  // RFC 7468 §2 and the older labels in use; only with a body, so that a mention in prose is none.
  {
    what: 'a private key',
    pattern:
      /-----BEGIN (?:[A-Z0-9]+ )*PRIVATE KEY(?: BLOCK)?-----[\s\\nr"'+]*(?:[A-Za-z-]+: [^\n]*\s+)*[A-Za-z0-9+/=]{24}/,
  },
  { what: 'a registry token', pattern: /\bnpm_[A-Za-z0-9]{36}\b/, isReal: isVaried },
  { what: 'a registry token', pattern: /\bpypi-AgE[A-Za-z0-9_-]{50,}/, isReal: isVaried },
  { what: 'a code host token', pattern: /\bgh[pousr]_[A-Za-z0-9]{36,}\b/, isReal: isVaried },
  { what: 'a code host token', pattern: /\bgithub_pat_[A-Za-z0-9]{22}_[A-Za-z0-9]{59}\b/, isReal: isVaried },
  { what: 'a code host token', pattern: /\bglpat-[A-Za-z0-9_-]{20,}\b/, isReal: isVaried },
  {
    what: 'a cloud access key',
    pattern: /\b(?:AKIA|ASIA)[A-Z2-7]{16}\b/,
    isReal: (text) => isVaried(text) && !text.endsWith('EXAMPLE'),
  },
  { what: 'a chat token', pattern: /\bxox[abprs]-[0-9]{8,}-[A-Za-z0-9-]{10,}/, isReal: isVaried },
  { what: 'a payment key', pattern: /\b[sr]k_live_[A-Za-z0-9]{24,}\b/, isReal: isVaried },
  {
    what: 'a credential for a registry',
    pattern: /:_(?:authToken|password|auth)\s*=\s*(?!\$\{)["']?[A-Za-z0-9+/=_-]{8,}/,
  },
];

const overlap = 4096;

/**
 * Looks for secrets in bytes as they stream by; keeps the last 4 KiB so that a secret across two chunks is found.
 * Bytes are read as Latin-1: every shape is ASCII.
 */
export class SecretScanner {
  readonly found: { path: string; what: string; line: number }[] = [];
  #path = '';
  #rest = '';
  #linesBefore = 1;

  chunk(path: string, chunk: Uint8Array, isFirst: boolean): void {
    if (isFirst || path !== this.#path) [this.#path, this.#rest, this.#linesBefore] = [path, '', 1];
    const text = this.#rest + Buffer.from(chunk.buffer, chunk.byteOffset, chunk.byteLength).toString('latin1');
    for (const { what, pattern, isReal } of shapes) {
      const match = pattern.exec(text);
      if (match === null || isReal?.(match[0]) === false) continue;
      if (this.found.some((one) => one.path === path && one.what === what)) continue;
      this.found.push({ path, what, line: this.#linesBefore + countLines(text.slice(0, match.index)) });
    }
    const kept = text.slice(-overlap);
    this.#linesBefore += countLines(text.slice(0, text.length - kept.length));
    this.#rest = kept;
  }
}

/** Placeholders repeat themselves; a real token has at least a third of its characters different. */
function isVaried(text: string): boolean {
  const body = text.replace(/^[a-z]+[_-]/i, '');
  return new Set(body).size >= Math.min(10, body.length / 3);
}

function countLines(text: string): number {
  let count = 0;
  for (let at = text.indexOf('\n'); at !== -1; at = text.indexOf('\n', at + 1)) count++;
  return count;
}
