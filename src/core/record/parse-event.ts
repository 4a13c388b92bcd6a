import { isInnerPath } from '../contents/safe-path.ts';
import { jsonOrNull } from '../text/json.ts';
import type { LedgerEvent } from './event.ts';
import { eventId } from './event-id.ts';
import { aboutShape, artifactSchema, haveOwnNames, isTagName } from './release-parts.ts';
import {
  type Check,
  isCommit,
  isCount,
  isFlag,
  isLine,
  isOneOf,
  isPackageName,
  isSetOf,
  isSha256,
  isString,
  isText,
  isTime,
  isVersionText,
  list,
  object,
  orNull,
  problemIn,
  type Schema,
  type Shape,
  union,
} from './schema.ts';

/** A file of the ledger as it was read: an event, a reason why it is not one, or a kind of event of a newer program. */
export type ParsedEvent =
  | { readonly type: 'event'; readonly event: LedgerEvent }
  | { readonly type: 'damaged'; readonly why: string }
  | { readonly type: 'unknown'; readonly kind: string };

/** Run ids name folders, so nothing else may stand there. */
export function isRunId(value: unknown): value is string {
  return typeof value === 'string' && /^\d{8}-\d{6}-[0-9a-f]{8}$/.test(value);
}

/** A web address without user information, or a path of a folder. */
const isAddress: Check = (value) => {
  if (!isText(value) || /[\u0000-\u001f\u007f]/.test(value as string)) return false;
  const text = value as string;
  if (text.startsWith('/')) return !text.split('/').includes('..');
  if (!/^https?:\/\/[^\s]+$/.test(text) || !URL.canParse(text)) return false;
  const { username, password } = new URL(text);
  return username === '' && password === '';
};

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
    artifacts: list(artifactSchema),
    destinations: isSetOf(isLine),
    contents: isSha256,
    about: object(aboutShape),
  },
  delivered: { destination: isLine, artifact: isInnerPath, sha256: isSha256, address: isAddress, alreadyThere: isFlag },
  confirmed: {
    destination: isLine,
    artifact: isInnerPath,
    confirmed: isOneOf('bytes', 'entries', 'no'),
    why: orNull(isText),
  },
  promoted: { destination: isLine, from: isLine, artifact: isInnerPath, sha256: isSha256, address: isAddress },
  withdrawn: { destination: isLine, how: isLine, reason: isText },
  pointed: { destination: isLine, pointer: isLine, from: orNull(isLine) },
  explained: { reasons: list(isText) },
  redirected: { destination: isLine, from: isLine, to: isLine },
  deployed: {
    deployment: isLine,
    target: isLine,
    deployed: isLine,
    artifact: isInnerPath,
    sha256: isSha256,
    by: isLine,
    result: isOneOf('deployed', 'returned', 'failed'),
    replaced: orNull(isVersionText),
  },
  partial: {
    file: isInnerPath,
    sha256: isSha256,
    size: isCount,
    commit: isCommit,
    entries: isCount,
    removed: isCount,
    issues: isSetOf(isLine),
  },
  abandoned: {},
  replanned: { artifact: artifactSchema },
};

const schemas: Readonly<Record<string, Schema>> = Object.fromEntries(
  Object.entries(shapes).map(([type, shape]) => [type, object({ ...common, ...shape })]),
);

/** An event as a journal has it: without what the ledger adds, and with free texts that are not shortened yet. */
export const newEventSchema: Schema = union(
  Object.fromEntries(
    Object.entries({
      ...shapes,
      confirmed: { ...shapes.confirmed, why: orNull(isString) },
      withdrawn: { ...shapes.withdrawn, reason: isString },
      explained: { reasons: list(isString) },
    }).map(([type, shape]) => [type, { package: isPackageName, version: isVersionText, ...shape }]),
  ),
);

/**
 * Reads a file of the ledger. Anyone who can push a ref can write it: each field has its grammar, no field is
 * missing or added, and the id is that of the content.
 * @param path of the file in the ledger's tree, which repeats package, version and id.
 */
export function parseEvent(text: string, path: string): ParsedEvent {
  const value = parseObject(text);
  if (value === null) return { type: 'damaged', why: 'it is not a JSON object' };
  const { type } = value;
  if (typeof type !== 'string' || type.length > 40) return { type: 'damaged', why: 'it has no `type`' };
  const schema = Object.hasOwn(schemas, type) ? schemas[type] : undefined;
  if (schema === undefined) return { type: 'unknown', kind: type };
  const problem = problemIn(value, schema);
  if (problem !== null) return { type: 'damaged', why: problem };
  const event = value as unknown as LedgerEvent;
  if (event.type === 'planned' && !haveOwnNames(event.artifacts))
    return { type: 'damaged', why: '`artifacts` has two files of one name' };
  if (event.id !== eventId(event)) return { type: 'damaged', why: '`id` does not fit the content' };
  if (path !== `${event.package}/${event.version}/${event.id}.json`)
    return { type: 'damaged', why: 'the file lies in another place than `package`, `version` and `id` say' };
  return { type: 'event', event };
}

/** Whether a path can be one of the ledger's own: an event, or the contents list beside it. */
export function isLedgerPath(path: string): boolean {
  const [, name = '', version = ''] =
    /^(.+)\/([^/]+)\/(?:\d{8}T\d{9}Z-\d{4,}-[0-9a-f]{32}|contents-[0-9a-f]{64})\.json$/.exec(path) ?? [];
  return isPackageName(name) && isVersionText(version);
}

function parseObject(text: string): Readonly<Record<string, unknown>> | null {
  const value = jsonOrNull(text);
  return typeof value === 'object' && value !== null ? (value as Record<string, unknown>) : null;
}
