import { crc32 } from './crc32.ts';
import type { Shape } from './shape.ts';

const token = ({
  what,
  anchor,
  pattern,
  isReal = isVaried,
}: {
  readonly what: string;
  readonly anchor: string;
  readonly pattern: RegExp;
  readonly isReal?: typeof isVaried;
}): Shape => ({
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
  token({ what: 'a registry token', anchor: 'npm_', pattern: /\bnpm_[A-Za-z0-9]{36}\b/, isReal: hasChecksum }),
  token({ what: 'a registry token', anchor: 'pypi-AgE', pattern: /\bpypi-AgE[A-Za-z0-9_-]{50,}/ }),
  ...['p', 'o', 'u', 's', 'r'].map((kind) =>
    token({
      what: 'a code host token',
      anchor: `gh${kind}_`,
      pattern: new RegExp(`(?<![A-Za-z0-9_])gh${kind}_[A-Za-z0-9]{36}\\b`),
      isReal: hasChecksum,
    }),
  ),
  token({
    what: 'a code host token',
    anchor: 'github_pat_',
    pattern: /\bgithub_pat_[A-Za-z0-9]{22}_[A-Za-z0-9]{59}\b/,
  }),
  token({ what: 'a code host token', anchor: 'glpat-', pattern: /\bglpat-[A-Za-z0-9_-]{20,}/ }),
  token({
    what: 'a cloud access key',
    anchor: 'AKIA',
    pattern: /(?<![A-Za-z0-9+/=])AKIA[A-Z2-7]{16}(?![A-Za-z0-9+/=])/,
    isReal: isAccessKey,
  }),
  token({
    what: 'a cloud access key',
    anchor: 'ASIA',
    pattern: /(?<![A-Za-z0-9+/=])ASIA[A-Z2-7]{16}(?![A-Za-z0-9+/=])/,
    isReal: isAccessKey,
  }),
  token({ what: 'a chat token', anchor: 'xox', pattern: /\bxox[abprs]-[0-9]{8,}-[A-Za-z0-9-]{10,}/ }),
  token({ what: 'a payment key', anchor: 'sk_live_', pattern: /\bsk_live_[A-Za-z0-9]{24,}\b/ }),
  token({ what: 'a payment key', anchor: 'rk_live_', pattern: /\brk_live_[A-Za-z0-9]{24,}\b/ }),
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
