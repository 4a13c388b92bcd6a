import { crc32 } from './crc32.ts';
import type { Shape } from './shape.ts';
import { readWebToken } from './web-token.ts';

type Token = {
  readonly what: string;
  /** ASCII text that every such token has. */
  readonly anchor: string;
  /** The whole token; what stands around it is looked at in addition. */
  readonly token: RegExp;
  readonly isReal?: (text: string) => boolean;
  /** How much of the token can stand before the anchor. */
  readonly before?: number;
  /** One that is meant to be public now and then. */
  readonly severity?: 'warn';
};

/** A token that stands alone: no letter or digit of its own alphabet comes before or after it. */
function token({ what, anchor, token: pattern, isReal = isVaried, before = 0, severity }: Token): Shape {
  return {
    kind: 'secret',
    anchor,
    before: before + 1,
    pattern: new RegExp(`(?<![A-Za-z0-9_])(?:${pattern.source})(?![A-Za-z0-9_])`),
    what,
    isReal: ([text]) => isReal(text),
    ...(severity === undefined ? {} : { severity }),
  };
}

/** A secret that only the name before it gives away, such as `password=`. */
function named({
  what,
  anchor,
  value,
  isReal = isVaried,
}: {
  readonly what: string;
  readonly anchor: string;
  /** Matches from the anchor on; its first group is the secret. */
  readonly value: RegExp;
  readonly isReal?: (text: string) => boolean;
}): Shape {
  return { kind: 'secret', anchor, before: 0, pattern: value, what, isReal: (match) => isReal(match[1] ?? '') };
}

const assigned = String.raw`["']?[ \t]*(?:[:=]|=>|:=)[ \t]*["']?`;

const privateKeys: readonly Shape[] = [
  {
    // RFC 7468 §2, RFC 9580 §6.2 and the older labels in use; only with a body, so that a mention in prose is none.
    kind: 'secret',
    anchor: '-----BEGIN ',
    before: 0,
    pattern:
      /^-----BEGIN (?:[A-Z0-9]+ )*PRIVATE KEY(?: BLOCK)?-----[\s\\nr"'+,]*(?:[A-Za-z-]+: [^\n]*\s+)*([A-Za-z0-9+/=]{24,})/,
    what: 'a private key',
    isReal: (match) => isVaried(match[1] ?? ''),
  },
  {
    // RFC 4716 §3 calls the four dashes; the format of SSH's commercial versions.
    kind: 'secret',
    anchor: '---- BEGIN SSH2 ',
    before: 0,
    pattern:
      /^---- BEGIN SSH2 (?:ENCRYPTED )?PRIVATE KEY ----[\s\\nr"'+,]*(?:[A-Za-z-]+: [^\n]*\s+)*([A-Za-z0-9+/=]{24,})/,
    what: 'a private key',
    isReal: (match) => isVaried(match[1] ?? ''),
  },
  named({
    what: 'a private key',
    anchor: 'PuTTY-User-Key-File-',
    value: /^PuTTY-User-Key-File-\d: [\s\S]{0,3000}?Private-Lines: \d+\s+([A-Za-z0-9+/=]{24,})/,
  }),
  token({ what: 'a private key', anchor: 'AGE-SECRET-KEY-1', token: /AGE-SECRET-KEY-1[0-9A-Z]{58}/ }),
];

const registryTokens: readonly Shape[] = [
  token({ what: 'a registry token', anchor: 'npm_', token: /npm_[A-Za-z0-9]{36}/, isReal: hasChecksum }),
  token({ what: 'a registry token', anchor: 'pypi-AgE', token: /pypi-AgE[A-Za-z0-9_-]{50,}/ }),
  token({ what: 'a registry token', anchor: 'cio', token: /cio[A-Za-z0-9]{32}/, isReal: isMixed }),
  token({ what: 'a registry token', anchor: 'rubygems_', token: /rubygems_[0-9a-f]{48}/ }),
  token({ what: 'a registry token', anchor: 'oy2', token: /oy2[a-z0-9]{43}/, isReal: isMixed }),
  token({ what: 'a registry token', anchor: 'dckr_pat_', token: /dckr_pat_[A-Za-z0-9_-]{27}/ }),
  token({ what: 'a registry token', anchor: 'dckr_oat_', token: /dckr_oat_[A-Za-z0-9_-]{32}/ }),
  token({ what: 'a registry token', anchor: 'CLOJARS_', token: /CLOJARS_[0-9a-f]{60}/ }),
  ...['o', 'u'].map((kind) =>
    token({
      what: 'a registry token',
      anchor: `packagist_${kind}`,
      token: new RegExp(`packagist_${kind}[ru]t_[0-9a-f]{40,}`),
    }),
  ),
  token({ what: 'a registry token', anchor: 'AKCp', token: /AKCp[A-Za-z0-9]{69}/ }),
  ...[':_authToken', ':_password'].map((anchor) =>
    named({
      what: 'a credential for a registry',
      anchor,
      value: new RegExp(`^${anchor}[ \\t]*=[ \\t]*["']?((?!\\$\\{)[A-Za-z0-9+/=_-]{8,})`),
    }),
  ),
  // The options of npm without a registry before them, as older files have them.
  named({
    what: 'a credential for a registry',
    anchor: '_authToken',
    value: /^_authToken[ \t]*=[ \t]*["']?((?!\$\{)[A-Za-z0-9+/=_-]{16,})/,
  }),
  named({
    what: 'a credential for a registry',
    anchor: '_auth',
    value: /^_auth[ \t]*=[ \t]*["']?([A-Za-z0-9+/]{8,}={0,2})/,
    isReal: isUserWithPassword,
  }),
  named({
    what: 'a credential for a registry',
    anchor: '"auth"',
    value: /^"auth"[ \t]*:[ \t]*"([A-Za-z0-9+/]{8,}={0,2})"/,
    isReal: isUserWithPassword,
  }),
];

const codeHostTokens: readonly Shape[] = [
  ...['p', 'o', 'u', 's', 'r'].map((kind) =>
    token({
      what: 'a code host token',
      anchor: `gh${kind}_`,
      token: new RegExp(`gh${kind}_[A-Za-z0-9]{36}`),
      isReal: hasChecksum,
    }),
  ),
  token({ what: 'a code host token', anchor: 'github_pat_', token: /github_pat_[A-Za-z0-9]{22}_[A-Za-z0-9]{59}/ }),
  ...['glpat-', 'gldt-', 'glrt-', 'glcbt-', 'glptt-'].map((start) =>
    token({ what: 'a code host token', anchor: start, token: new RegExp(`${start}[A-Za-z0-9_-]{20,}`) }),
  ),
  token({ what: 'a code host token', anchor: 'ATATT3', token: /ATATT3[A-Za-z0-9_=-]{100,}/ }),
  token({ what: 'a code host token', anchor: 'ATBB', token: /ATBB[A-Za-z0-9]{32}/, isReal: isMixed }),
  token({ what: 'a code host token', anchor: 'AZDO', token: /[A-Za-z0-9]{76}AZDO[A-Za-z0-9]{4}/, before: 76 }),
];

const cloudKeys: readonly Shape[] = [
  ...['AKIA', 'ASIA'].map((start) =>
    token({
      what: 'a cloud access key',
      anchor: start,
      token: new RegExp(`${start}[A-Z2-7]{16}`),
      isReal: isAccessKey,
    }),
  ),
  ...['ecret_access_key', 'ECRET_ACCESS_KEY', 'ecretAccessKey', 'ws_secret_key', 'WS_SECRET_KEY', 'wsSecretKey'].map(
    (anchor) =>
      named({
        what: 'a cloud secret key',
        anchor,
        value: new RegExp(`^${anchor}${assigned}([A-Za-z0-9+/]{40})(?![A-Za-z0-9+/=])`),
        isReal: isCloudSecret,
      }),
  ),
  named({ what: 'a cloud storage key', anchor: 'AccountKey=', value: /^AccountKey=([A-Za-z0-9+/]{86}==)/ }),
  named({ what: 'a cloud storage key', anchor: 'SharedAccessKey=', value: /^SharedAccessKey=([A-Za-z0-9+/]{43}=)/ }),
  {
    kind: 'secret',
    anchor: 'sig=',
    before: 600,
    pattern: /[?&]s[ev]=[^\s"'`<>]{4,400}?&sig=([A-Za-z0-9%+/]{40,}(?:%3D|=))/i,
    what: 'a signed address of a cloud store',
    isReal: (match) => isVaried(match[1] ?? ''),
  },
  ...['7Q~', '8Q~'].map((anchor) =>
    token({
      what: 'a cloud client secret',
      anchor,
      token: new RegExp(`[A-Za-z0-9_~.-]{3}${anchor}[A-Za-z0-9_~.-]{31,34}`),
      before: 3,
    }),
  ),
  token({ what: 'a cloud client secret', anchor: 'GOCSPX-', token: /GOCSPX-[A-Za-z0-9_-]{28}/ }),
  token({ what: 'a cloud access token', anchor: 'ya29.', token: /ya29\.[A-Za-z0-9_-]{50,}/ }),
  // Keys of this kind also stand in pages, where only the hosts that may use them are limited.
  token({ what: 'a cloud interface key', anchor: 'AIza', token: /AIza[A-Za-z0-9_-]{35}/, severity: 'warn' }),
  ...['dop', 'doo', 'dor'].map((start) =>
    token({ what: 'a cloud access token', anchor: `${start}_v1_`, token: new RegExp(`${start}_v1_[0-9a-f]{64}`) }),
  ),
  token({ what: 'a cloud access key', anchor: 'LTAI', token: /LTAI[A-Za-z0-9]{20}/, isReal: isMixed }),
  token({ what: 'a cloud access key', anchor: 'AKID', token: /AKID[A-Za-z0-9]{32}/, isReal: isMixed }),
  token({
    what: 'a cloud access key',
    anchor: 'SCW',
    token: /SCW[A-Z0-9]{17}/,
    isReal: (text) => isVaried(text) && /\d/.test(text),
  }),
  token({ what: 'a vault token', anchor: 'hvs.', token: /hvs\.[A-Za-z0-9_-]{24,}/, isReal: isMixed }),
  token({
    what: 'an infrastructure token',
    anchor: '.atlasv1.',
    token: /[A-Za-z0-9]{14}\.atlasv1\.[A-Za-z0-9_-]{60,}/,
    before: 14,
  }),
  token({ what: 'an infrastructure token', anchor: 'pul-', token: /pul-[0-9a-f]{40}/ }),
  token({ what: 'a data platform token', anchor: 'dapi', token: /dapi[0-9a-f]{32}/ }),
  token({ what: 'a model service key', anchor: 'sk-ant-', token: /sk-ant-[a-z0-9]+-[A-Za-z0-9_-]{80,}/ }),
  token({
    what: 'a model service key',
    anchor: 'T3BlbkFJ',
    token: /sk-(?:[a-z]+-)?[A-Za-z0-9_-]{20,80}T3BlbkFJ[A-Za-z0-9_-]{20,80}/,
    before: 90,
  }),
  token({ what: 'a model service key', anchor: 'hf_', token: /hf_[A-Za-z]{34}/, isReal: isMixedLetters }),
];

const serviceTokens: readonly Shape[] = [
  token({ what: 'a chat token', anchor: 'xox', token: /xox[abeprs]-[0-9]{8,}-[A-Za-z0-9-]{10,}/ }),
  token({ what: 'a chat token', anchor: 'xapp-', token: /xapp-\d-[A-Z0-9]+-\d+-[0-9a-f]{32,}/ }),
  token({ what: 'a chat token', anchor: ':AA', token: /\d{8,10}:AA[A-Za-z0-9_-]{33}/, before: 10 }),
  token({
    what: 'a webhook address',
    anchor: 'hooks.slack.com/',
    token: /hooks\.slack\.com\/(?:services|workflows)\/T[A-Z0-9]{8,}\/[A-Z0-9]{8,}\/[A-Za-z0-9/]{20,}/,
  }),
  token({
    what: 'a webhook address',
    anchor: '/api/webhooks/',
    token: /discord(?:app)?\.com\/api\/webhooks\/\d{17,20}\/[A-Za-z0-9_-]{60,}/,
    before: 14,
  }),
  token({
    what: 'a webhook address',
    anchor: '.webhook.office.com/',
    token:
      /[a-z0-9]+\.webhook\.office\.com\/webhookb2\/[0-9a-f-]{36}@[0-9a-f-]{36}\/IncomingWebhook\/[0-9a-f]{32}\/[0-9a-f-]{36}/,
    before: 40,
  }),
  token({ what: 'a payment key', anchor: 'sk_live_', token: /sk_live_[A-Za-z0-9]{24,}/ }),
  token({ what: 'a payment key', anchor: 'rk_live_', token: /rk_live_[A-Za-z0-9]{24,}/ }),
  token({ what: 'a webhook secret', anchor: 'whsec_', token: /whsec_[A-Za-z0-9+/]{32,}/, isReal: isMixed }),
  token({ what: 'a mail service key', anchor: 'SG.', token: /SG\.[A-Za-z0-9_-]{22}\.[A-Za-z0-9_-]{43}/ }),
  token({ what: 'a shop token', anchor: 'shpat_', token: /shpat_[0-9a-f]{32}/ }),
  token({ what: 'a monitoring token', anchor: 'sntrys_', token: /sntrys_[A-Za-z0-9+/=_-]{60,}/ }),
  token({ what: 'a monitoring token', anchor: 'glsa_', token: /glsa_[A-Za-z0-9]{32}_[0-9a-f]{8}/ }),
  token({ what: 'a monitoring token', anchor: 'NRAK-', token: /NRAK-[A-Z0-9]{27}/ }),
  token({ what: 'an interface test key', anchor: 'PMAK-', token: /PMAK-[0-9a-f]{24}-[0-9a-f]{34}/ }),
  token({ what: 'a task service key', anchor: 'lin_api_', token: /lin_api_[A-Za-z0-9]{40}/ }),
  {
    // RFC 7519 §3: three parts, the first two JSON.
    kind: 'secret',
    anchor: 'eyJ',
    before: 1,
    pattern: /(?<![A-Za-z0-9_.-])(eyJ[A-Za-z0-9_-]{10,})\.(eyJ[A-Za-z0-9_-]{10,})\.([A-Za-z0-9_-]{20,})/,
    what: ([, head = '', body = '']) => {
      const expires = readWebToken(head, body)?.expires ?? null;
      return `a web token ${expires === null ? 'that never expires' : `(expires ${expires})`}`;
    },
    isReal: ([, head = '', body = '', signature = '']) => readWebToken(head, body) !== null && isVaried(signature),
  },
];

const passwords: readonly Shape[] = [
  // Settings of Maven and of .NET; a value in braces is encrypted, one with a sign before is a variable.
  named({
    what: 'a password in settings',
    anchor: '<password>',
    value: /^<password>\s*([^\s<>{}$%]{6,64})\s*<\/password>/,
    isReal: isPasswordLike,
  }),
  named({
    what: 'a password in settings',
    anchor: 'ClearTextPassword"',
    value: /^ClearTextPassword"\s+value="([^"\s<>{}$%]{6,128})"/,
    isReal: isPasswordLike,
  }),
  {
    // RFC 3986 §3.2.1; a name for the placeholder, or one of the documentation's hosts (RFC 2606), is none.
    kind: 'secret',
    anchor: '://',
    before: 16,
    pattern:
      /\b(?:https?|ftps?|sftp|ssh|smtps?|ldaps?|postgres(?:ql)?|mysql|mariadb|mssql|sqlserver|mongodb(?:\+srv)?|rediss?|amqps?|git\+https|clickhouse|nats|oracle):\/\/([\w.~%!&*+=-]{0,64}):([^\s:/?#[\]@'"`<>{}$\\]{6,128})@([\w.-]+)/,
    what: 'a user with a password in an address',
    isReal: (match) => !isPlaceholderHost(match[3] ?? '') && isPasswordLike(match[2] ?? ''),
  },
  ...['assword=', 'ASSWORD=', 'Pwd=', 'pwd=', 'PWD='].map(
    (anchor): Shape => ({
      kind: 'secret',
      anchor,
      before: 300,
      // Connection strings of databases: a server among the settings around it.
      pattern:
        /(?:server|data source|host|addr(?:ess)?)=([^;"'\s]{2,80});[^"'\n]{0,200}?(?:password|pwd)=([^;"'\s{}$<>%]{6,64})/i,
      what: 'a password in a connection string',
      isReal: (match) => !isPlaceholderHost(match[1] ?? '') && isPasswordLike(match[2] ?? ''),
    }),
  ),
  {
    kind: 'secret',
    anchor: 'jdbc:',
    before: 0,
    pattern: /^jdbc:[a-z0-9:]+\/\/([\w.-]+)[^\s"'`]{0,200}?[?&;]password=([^\s&;"'`{}$<>%]{6,64})/i,
    what: 'a password in a connection string',
    isReal: (match) => !isPlaceholderHost(match[1] ?? '') && isPasswordLike(match[2] ?? ''),
  },
  {
    // .netrc, as ftp(1) describes it.
    kind: 'secret',
    anchor: 'machine ',
    before: 0,
    pattern: /^machine[ \t]+([\w.-]+)\s+login[ \t]+\S+\s+password[ \t]+([^\s${}<>]{6,64})/,
    what: 'a password for a host',
    isReal: (match) => !isPlaceholderHost(match[1] ?? '') && isPasswordLike(match[2] ?? ''),
  },
  named({
    what: 'a user with a password in a header',
    anchor: 'Basic ',
    value: /^Basic ([A-Za-z0-9+/]{12,}={0,2})(?![A-Za-z0-9+/=])/,
    isReal: isUserWithPassword,
  }),
];

/** What secrets look like: shapes with a fixed mark only, so that hashes, ids and lockfiles raise no alarm. */
export const secretShapes: readonly Shape[] = [
  ...privateKeys,
  ...registryTokens,
  ...codeHostTokens,
  ...cloudKeys,
  ...serviceTokens,
  ...passwords,
];

/** Placeholders repeat themselves or count; a real token has at least a third of its characters different. */
function isVaried(text: string): boolean {
  const body = text.replace(/^[a-z]+[_-]/i, '');
  if (/(.)\1{5}|012345|123456|abcdef|ABCDEF|x{4}|X{4}|example|EXAMPLE|your|YOUR/.test(body)) return false;
  return new Set(body).size >= Math.min(10, body.length / 3);
}

/** Words and constants have letters of one kind; a token has both kinds and digits. */
function isMixed(text: string): boolean {
  return isVaried(text) && /\d.*\d/.test(text) && /[a-z]/.test(text) && isShuffled(text);
}

function isMixedLetters(text: string): boolean {
  const body = text.slice(text.indexOf('_') + 1);
  return isVaried(text) && /[a-z]/.test(body) && /[A-Z]/.test(body) && isShuffled(body);
}

/** In names the kinds of characters change at the borders of words only; in a token everywhere. */
function isShuffled(text: string): boolean {
  const changes = [...text].filter((letter, index) => index > 0 && kindOf(letter) !== kindOf(text[index - 1] ?? ''));
  return changes.length >= text.length / 4;
}

function kindOf(letter: string): number {
  return /\d/.test(letter) ? 0 : /[a-z]/.test(letter) ? 1 : 2;
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

function isCloudSecret(text: string): boolean {
  return isVaried(text) && !/EXAMPLE/i.test(text) && /[a-z]/.test(text) && /[A-Z]/.test(text) && /[\d+/]/.test(text);
}

function isUserWithPassword(text: string): boolean {
  const [, user = '', password = ''] = /^([\x21-\x7e]+?):([\x21-\x7e]{6,})$/.exec(fromBase64(text)) ?? [];
  return user !== '' && isPasswordLike(password);
}

function fromBase64(text: string): string {
  return Buffer.from(text, 'base64').toString('latin1');
}

function isPlaceholderHost(host: string): boolean {
  return /(?:^|\.)(?:example(?:\.(?:com|org|net))?|invalid|test|localhost|local)(?:,\d+)?$|^(?:127\.|0\.0\.0\.0|host|hostname|server|domain|proxy|your|my)/i.test(
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
