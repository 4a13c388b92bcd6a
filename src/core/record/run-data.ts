import { isFileName } from '../contents/safe-path.ts';
import { severities } from '../name/rule.ts';
import { weights } from '../version/weight.ts';
import type { NewEvent } from './event.ts';
import { isRunId, newEventSchema } from './parse-event.ts';
import { format } from './parse-record.ts';
import type { ProgramVersions } from './program-versions.ts';
import type { ReleaseCard } from './release-card.ts';
import { isTagName, partialSummary } from './release-parts.ts';
import type { RunPhase, RunRecord, RunStep } from './run-record.ts';
import {
  type Check,
  isCommit,
  isCount,
  isFlag,
  isHex,
  isLine,
  isOneOf,
  isPackageName,
  isSha256,
  isString,
  isVersionText,
  list,
  nullable,
  object,
  openObject,
  orLeftOut,
  orNull,
  problemIn,
  type Schema,
} from './schema.ts';

/** What a run begins with. The time is that of everything it makes, so that making it again gives the same. */
export type Opened = {
  /** Format of the whole journal. */
  readonly schema: typeof format;
  readonly run: string;
  /** The surveyed commit. */
  readonly source: string;
  readonly branch: string | null;
  readonly remote: string | null;
  /** What the remote's branch was at; null where it has none. */
  readonly remoteHead: string | null;
  /** Seconds since 1970. */
  readonly time: number;
  /** 128 random bits in hexadecimal, which name the run in its tags. */
  readonly mark: string;
  /** What was asked of the run, in words that make it again. */
  readonly asked: RunAsked;
  readonly configDigest: string | null;
  /** Whether another machine began it, and this one laid it out from what was pushed. */
  readonly isFromRemote: boolean;
  readonly program: ProgramVersions;
};

/** Options that decide what is released. */
export type RunAsked = {
  readonly packages: readonly string[];
  readonly exactly: string | null;
  readonly raise: string | null;
  readonly because: string | null;
  readonly branch: string | null;
  readonly stream: string | null;
  readonly tagged: string | null;
  readonly withNeeded: boolean;
  readonly without: readonly string[];
};

/** Data of a push that was announced: what undoes it, and how to ask the remote about it. */
export type PushData = {
  /** The ledger's commit before; null without a ledger. */
  readonly ledger: string | null;
  readonly push: {
    readonly remote: string;
    readonly branch: { readonly name: string; readonly from: string | null; readonly to: string } | null;
    readonly tags: readonly { readonly name: string; readonly id: string }[];
  };
};

/** Data of a step that the ledger has as an event; beside it, the files that the ledger gets with it. */
export type EventData = { readonly event: NewEvent; readonly beside: Readonly<Record<string, string>> };

/** Data of the card that was agreed to. */
export type AgreedData = { readonly card: string; readonly what: ReleaseCard };

const openedSchema = object({
  schema: isOneOf(format),
  run: isRunId,
  source: isCommit,
  branch: orNull(isLine),
  remote: orNull(isString),
  remoteHead: orNull(isCommit),
  time: isCount,
  mark: isHex(32),
  asked: object({
    packages: list(isPackageName),
    exactly: orNull(isString),
    raise: orNull(isString),
    because: orNull(isString),
    branch: orNull(isString),
    stream: orNull(isString),
    tagged: orNull(isString),
    withNeeded: isFlag,
    without: list(isString),
  }),
  configDigest: orNull(isSha256),
  isFromRemote: isFlag,
  program: openObject({ bevelstone: isString, node: isString, zlib: isString }),
});

const attemptSchema = object({ attempt: isCount });
const tagSchema = object({ name: isTagName, id: isCommit });

const pushSchema = object({
  ledger: orNull(isCommit),
  push: object({
    remote: isString,
    branch: nullable(object({ name: isLine, from: orNull(isCommit), to: isCommit })),
    tags: list(tagSchema),
  }),
});

const eventSchema = object({
  event: newEventSchema,
  beside: (value: unknown) =>
    typeof value === 'object' &&
    value !== null &&
    Object.entries(value).every(([name, text]) => isFileName(name) && isString(text)),
});

const notesSchema = openObject({
  package: isString,
  version: orNull(isVersionText),
  range: isString,
  date: isString,
  intro: orNull(isString),
  sections: list(
    openObject({
      title: isString,
      items: list(
        openObject({
          summary: isString,
          scope: orNull(isString),
          commit: orNull(isString),
          breaking: orNull(isString),
          issues: list(isString),
        }),
      ),
    }),
  ),
  contributors: list(isString),
});

const isSurfaces: Check = (value) =>
  problemIn(
    value,
    list(
      openObject({
        artifact: isString,
        last: orNull(isString),
        step: isString,
        differences: list(openObject({ name: isString, entry: isString, effect: isString, why: isString })),
        excepted: list(openObject({ name: isString, reason: isString })),
        whyNot: orNull(isString),
      }),
    ),
  ) === null;

const cardSchema = openObject({
  commit: isCommit,
  source: isCommit,
  branch: orNull(isString),
  stream: isString,
  remote: orNull(isString),
  writes: list(isString),
  pushes: list(isString),
  releases: list(
    openObject({
      package: isString,
      last: orNull(isVersionText),
      version: isVersionText,
      weight: isOneOf(...weights),
      reasons: list(isString),
      tag: isString,
      notes: notesSchema,
      artifacts: list(
        openObject({
          file: isString,
          form: isString,
          platform: orNull(isString),
          sizeBytes: isCount,
          sha256: isSha256,
          partial: orLeftOut(partialSummary),
          to: list(isString),
        }),
      ),
      findings: list(
        openObject({
          severity: isOneOf(...severities),
          rule: isString,
          artifact: isString,
          path: orNull(isString),
          message: isString,
        }),
      ),
      rehearsed: list(isString),
      surface: orLeftOut(isSurfaces),
      without: list(isString),
    }),
  ),
  resting: list(isString),
  destinations: list(openObject({ name: isString, url: isString })),
  opted: list(isString),
});

const rehearsalSchema = openObject({
  releases: list(
    openObject({
      package: isString,
      version: isVersionText,
      steps: list(
        openObject({
          client: isString,
          version: isString,
          destination: isString,
          state: isOneOf('delivered', 'visible', 'installed', 'unpacked', 'failed', 'not-here'),
          why: orNull(isString),
        }),
      ),
    }),
  ),
});

/** The data that is read back, by step and phase; that of all other records is for people. */
const schemas: Readonly<Partial<Record<`${RunStep} ${RunPhase}`, Schema>>> = {
  'opened done': openedSchema,
  'committed done': object({ commit: isCommit, tree: orNull(isCommit) }),
  'built done': list(isPackageName),
  'rehearsed done': rehearsalSchema,
  'agreed done': object({ card: isSha256, what: cardSchema }),
  'tagged done': tagSchema,
  'push intent': pushSchema,
  'planned done': eventSchema,
  'sent intent': attemptSchema,
  'sent done': eventSchema,
  'confirmed done': eventSchema,
  'pointed intent': attemptSchema,
  'pointed done': eventSchema,
};

/** Data of `built` and `committed` with a key: one artifact, and the ref under which other machines find the commit. */
const keyedSchemas: typeof schemas = {
  'committed done': object({ ref: isLine }),
  'built done': openObject({ sha256: isSha256 }),
};

/** Why the data of a record is not what its step wrote, with the field; null when it is. */
export function problemInData({ step, phase, key, data }: RunRecord): string | null {
  const name = `${step} ${phase}` as const;
  const schema = (key === '' ? undefined : keyedSchemas[name]) ?? schemas[name];
  return schema === undefined ? null : problemIn(data, schema, 'data');
}
