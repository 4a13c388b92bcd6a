import { crc32 } from './crc32.ts';
import type { Shape } from './shape.ts';

const token = (what: string, anchor: string, pattern: RegExp, isReal = isVaried): Shape => ({
  kind: 'secret',
  anchor,
  before: 1,
  pattern,
  what,
  isReal: ([text]) => isReal(text),
});

/** What secrets look like: shapes with a fixed mark only, so that hashes, ids and lockfiles raise no alarm. */
export const secretShapes: readonly Shape[] = [
  {
    // RFC 7468 §2 and the older labels in use; only with a body, so that a mention in prose is none.
    kind: 'secret',
    anchor: '-----BEGIN ',
    before: 0,
    pattern:
      /^-----BEGIN (?:[A-Z0-9]+ )*PRIVATE KEY(?: BLOCK)?-----[\s\\nr"'+,]*(?:[A-Za-z-]+: [^\n]*\s+)*([A-Za-z0-9+/=]{24,})/,
    what: 'a private key',
    isReal: (match) => isVaried(match[1] ?? ''),
  },
  token('a registry token', 'npm_', /\bnpm_[A-Za-z0-9]{36}\b/, hasChecksum),
  token('a registry token', 'pypi-AgE', /\bpypi-AgE[A-Za-z0-9_-]{50,}/),
  ...['p', 'o', 'u', 's', 'r'].map((kind) =>
    token('a code host token', `gh${kind}_`, new RegExp(`(?<![A-Za-z0-9_])gh${kind}_[A-Za-z0-9]{36}\\b`), hasChecksum),
  ),
  token('a code host token', 'github_pat_', /\bgithub_pat_[A-Za-z0-9]{22}_[A-Za-z0-9]{59}\b/),
  token('a code host token', 'glpat-', /\bglpat-[A-Za-z0-9_-]{20,}/),
  token('a cloud access key', 'AKIA', /(?<![A-Za-z0-9+/=])AKIA[A-Z2-7]{16}(?![A-Za-z0-9+/=])/, isAccessKey),
  token('a cloud access key', 'ASIA', /(?<![A-Za-z0-9+/=])ASIA[A-Z2-7]{16}(?![A-Za-z0-9+/=])/, isAccessKey),
  token('a chat token', 'xox', /\bxox[abprs]-[0-9]{8,}-[A-Za-z0-9-]{10,}/),
  token('a payment key', 'sk_live_', /\bsk_live_[A-Za-z0-9]{24,}\b/),
  token('a payment key', 'rk_live_', /\brk_live_[A-Za-z0-9]{24,}\b/),
  {
    kind: 'secret',
    anchor: ':_',
    before: 0,
    pattern: /^:_(?:authToken|password|auth)[ \t]*=[ \t]*["']?((?!\$\{)[A-Za-z0-9+/=_-]{8,})/,
    what: 'a credential for a registry',
    isReal: (match) => isVaried(match[1] ?? ''),
  },
  {
    // RFC 3986 §3.2.1; a name for the placeholder, or one of the documentation's hosts (RFC 2606), is none.
    kind: 'secret',
    anchor: '://',
    before: 16,
    pattern:
      /\b(?:https?|ftp|ssh|postgres(?:ql)?|mysql|mongodb(?:\+srv)?|redis|amqps?):\/\/([\w.~%!&*+=-]{1,64}):([^\s:/?#[\]@'"`<>{}$\\]{6,128})@([\w.-]+)/,
    what: 'a user with a password in an address',
    isReal: (match) => !isPlaceholderHost(match[3] ?? '') && isPasswordLike(match[2] ?? ''),
  },
];

/** Placeholders repeat themselves; a real token has at least a third of its characters different. */
function isVaried(text: string): boolean {
  const body = text.replace(/^[a-z]+[_-]/i, '');
  return new Set(body).size >= Math.min(10, body.length / 3) && !/^(?:x+|0+|1234567|abcdef)/i.test(body);
}

const digits = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz';

/** These tokens end with six base-62 digits: the CRC-32 of the thirty characters before them. */
function hasChecksum(text: string): boolean {
  const body = text.slice(text.indexOf('_') + 1);
  let rest = crc32(body.slice(0, 30));
  let spelt = '';
  for (let index = 0; index < 6; index++) {
    spelt = digits[rest % 62] + spelt;
    rest = Math.floor(rest / 62);
  }
  return spelt === body.slice(30);
}

function isAccessKey(text: string): boolean {
  return isVaried(text) && !text.endsWith('EXAMPLE');
}

function isPlaceholderHost(host: string): boolean {
  return /(?:^|\.)(?:example(?:\.(?:com|org|net))?|invalid|test|localhost|local)$|^(?:127\.|0\.0\.0\.0|host|hostname|server|domain|proxy)/i.test(
    host,
  );
}

function isPasswordLike(text: string): boolean {
  if (
    /^(?:pass|pwd|secret|token|user|key|your|my|some|the|foo|bar|xxx|\*|%s|\.\.\.|hunter2|123456|guest|root|admin)/i.test(
      text,
    )
  )
    return false;
  return /\d/.test(text) && /[A-Za-z]/.test(text) && new Set(text).size >= 6;
}
