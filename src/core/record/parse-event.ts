import { isFileName, unsafeReason } from '../contents/safe-path.ts';
import { ecosystems } from '../name/ecosystem.ts';
import { forms } from '../name/form.ts';
import { isVersion } from '../version/version.ts';
import type { LedgerEvent } from './event.ts';
import { eventId } from './event-id.ts';

/** A file of the ledger as it was read: an event, a reason why it is not one, or a kind of event of a newer program. */
export type ParsedEvent =
  | { readonly type: 'event'; readonly event: LedgerEvent }
  | { readonly type: 'damaged'; readonly why: string }
  | { readonly type: 'unknown'; readonly kind: string };

type Check = (value: unknown) => boolean;
type Shape = Readonly<Record<string, Check>>;

/** The longest free text in an event, in UTF-16 code units. */
export const maxTextLength = 4000;

/** Text for people, on any number of lines. */
const isText: Check = (value) => typeof value === 'string' && value.length <= maxTextLength;
/** A short text on one line. */
const isLine: Check = (value) =>
  typeof value === 'string' && value.length > 0 && value.length <= 300 && !/[\u0000-\u001f\u007f]/.test(value);
const isCount: Check = (value) => Number.isSafeInteger(value) && (value as number) >= 0;
const isFlag: Check = (value) => typeof value === 'boolean';
const isHex = (length: number): Check => {
  const pattern = new RegExp(`^[0-9a-f]{${length}}$`);
  return (value) => typeof value === 'string' && pattern.test(value);
};
const isSha256 = isHex(64);
const isCommit: Check = (value) => isHex(40)(value) || isSha256(value);
const isListOf =
  (check: Check): Check =>
  (value) =>
    Array.isArray(value) && value.length <= 10_000 && value.every(check) && new Set(value).size === value.length;
const orNull =
  (check: Check): Check =>
  (value) =>
    value === null || check(value);
const isOneOf =
  (...words: readonly string[]): Check =>
  (value) =>
    typeof value === 'string' && words.includes(value);

const isPackageName: Check = (value) =>
  typeof value === 'string' && value.length <= 214 && /^@?[\w][\w.+~:-]*(?:\/[\w][\w.+~:-]*)*$/.test(value);
const isVersionText: Check = (value) => typeof value === 'string' && isVersion(value);
const isTime: Check = (value) =>
  typeof value === 'string' &&
  /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z$/.test(value) &&
  !Number.isNaN(Date.parse(value)) &&
  new Date(value).toISOString() === value;

/** Run ids name folders, so nothing else may stand there. */
export function isRunId(value: unknown): value is string {
  return typeof value === 'string' && /^\d{8}-\d{6}-[0-9a-f]{8}$/.test(value);
}

/** The rules of git-check-ref-format(1) for what stands behind `refs/tags/`. */
const isTagName: Check = (value) =>
  isLine(value) &&
  !/[\s~^:?*[\\]|\.\.|@\{|\/\/|\.lock(?:\/|$)|(?:^|\/)\.|\.$|\/$|^[-/@]/.test((value as string).replace(/^@(?=.)/, ''));

/** A web address without user information, or a path of a folder. */
const isAddress: Check = (value) => {
  if (!isText(value) || /[\u0000-\u001f\u007f]/.test(value as string)) return false;
  const text = value as string;
  if (text.startsWith('/')) return !text.split('/').includes('..');
  if (!/^https?:\/\/[^\s]+$/.test(text) || !URL.canParse(text)) return false;
  const { username, password } = new URL(text);
  return username === '' && password === '';
};

const isObject =
  (shape: Shape): Check =>
  (value) =>
    problemIn(value, shape) === null;

const isArtifact = isObject({
  file: isFileName,
  form: isOneOf(...forms),
  platform: orNull((value) => typeof value === 'string' && /^[a-z0-9]+(?:-[a-z0-9_]+)+$/.test(value)),
  size: isCount,
  sha256: isSha256,
  sha512: isHex(128),
  sha1: isHex(40),
  contentDigest: isSha256,
  entries: isCount,
});

const streamTypes = ['stable', 'maintained', 'labelled', 'look'];

const isAbout = isObject({
  name: isLine,
  ecosystem: isOneOf(...ecosystems),
  folder: (value) => value === '.' || (typeof value === 'string' && unsafeReason(value) === null),
  spellings: (value) =>
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    Object.keys(value).length <= 20 &&
    Object.values(value).every(isText),
  stream: isObject({ name: isLine, type: isOneOf(...streamTypes), pointer: isLine }),
  sourceTime: isCount,
  needs: isListOf(isPackageName),
});

const common: Shape = {
  id: isLine,
  type: isLine,
  at: isTime,
  run: isRunId,
  seq: isCount,
  package: isPackageName,
  version: isVersionText,
};

/** The fields of each kind of event beside the common ones. All of them are there, and no others. */
const shapes: Readonly<Record<LedgerEvent['type'], Shape>> = {
  planned: {
    commit: isCommit,
    source: isCommit,
    tag: isTagName,
    artifacts: (value) =>
      Array.isArray(value) &&
      value.every(isArtifact) &&
      new Set(value.map(({ file }: { file: string }) => file.toLowerCase())).size === value.length,
    destinations: isListOf(isLine),
    contents: isSha256,
    about: isAbout,
  },
  delivered: { destination: isLine, artifact: isFileName, sha256: isSha256, address: isAddress, alreadyThere: isFlag },
  confirmed: {
    destination: isLine,
    artifact: isFileName,
    confirmed: isOneOf('bytes', 'entries', 'no'),
    why: orNull(isText),
  },
  promoted: { destination: isLine, from: isLine, artifact: isFileName, sha256: isSha256, address: isAddress },
  withdrawn: { destination: isLine, how: isLine, reason: isText },
  pointed: { destination: isLine, pointer: isLine, from: orNull(isLine) },
  abandoned: {},
  replanned: { artifact: isArtifact },
};

/**
 * Reads a file of the ledger. Everything in it comes from whoever can push a ref: each field has its grammar, no field is
 * missing or added, and the id is that of the content.
 * @param path of the file in the ledger's tree, which repeats package, version and id.
 */
export function parseEvent(text: string, path: string): ParsedEvent {
  const value = parseObject(text);
  if (value === null) return { type: 'damaged', why: 'it is not a JSON object' };
  const { type } = value;
  if (typeof type !== 'string' || type.length > 40) return { type: 'damaged', why: 'it has no `type`' };
  if (!Object.hasOwn(shapes, type)) return { type: 'unknown', kind: type };
  const problem = problemIn(value, { ...common, ...shapes[type as LedgerEvent['type']] });
  if (problem !== null) return { type: 'damaged', why: problem };
  const event = value as unknown as LedgerEvent;
  if (event.id !== eventId(event)) return { type: 'damaged', why: '`id` does not fit the content' };
  if (path !== `${event.package}/${event.version}/${event.id}.json`)
    return { type: 'damaged', why: 'the file lies in another place than `package`, `version` and `id` say' };
  return { type: 'event', event };
}

/** Whether a path can be one of the ledger's own: an event, or the contents list beside it. */
export function isLedgerPath(path: string): boolean {
  const [, name = '', version = ''] =
    /^(.+)\/([^/]+)\/(?:\d{8}T\d{9}Z-\d{4,}-[0-9a-f]{32}|contents-[0-9a-f]{64})\.json$/.exec(path) ?? [];
  return isPackageName(name) && isVersion(version);
}

function problemIn(value: unknown, shape: Shape): string | null {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return 'it is not an object';
  const object = value as Readonly<Record<string, unknown>>;
  for (const [field, check] of Object.entries(shape)) {
    if (!Object.hasOwn(object, field)) return `\`${field}\` is missing`;
    if (!check(object[field])) return `\`${field}\` has a value that it cannot have`;
  }
  const added = Object.keys(object).find((field) => !Object.hasOwn(shape, field));
  return added === undefined ? null : `it has a field "${added.slice(0, 40)}" that no such event has`;
}

function parseObject(text: string): Readonly<Record<string, unknown>> | null {
  try {
    const value: unknown = JSON.parse(text);
    return typeof value === 'object' && value !== null ? (value as Record<string, unknown>) : null;
  } catch {
    return null;
  }
}
