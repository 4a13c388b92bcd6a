import { isInnerPath } from '../contents/safe-path.ts';
import { format, type ParsedRecord, parseRecord } from './parse-record.ts';
import {
  type Check,
  isCommit,
  isLine,
  isOneOf,
  isPackageName,
  isSha256,
  isVersionText,
  list,
  openObject,
  orNull,
} from './schema.ts';

/** Path of the record inside a partial artifact. */
export const partialName = 'bevelstone-partial.json';

/** An entry of a partial artifact, by its path inside the release. */
export type PartialEntry = {
  readonly path: string;
  readonly effect: 'added' | 'replaced';
  readonly sha256: string;
  /** Digest that it has in the base; null for an added one. */
  readonly before: string | null;
  /** Selected commits that it comes from; none for what was added by hand. */
  readonly commits: readonly string[];
  /** Other commits since the base that changed the same file, and so are in it too. */
  readonly alsoHolds: readonly string[];
};

/** A file of the base that is removed. */
export type PartialRemoval = { readonly path: string; readonly before: string; readonly commits: readonly string[] };

/** What a partial artifact is: only the entries that some changes touch, to be put on top of one release. */
export type PartialRecord = {
  readonly package: string;
  /** The version that all of it would have. */
  readonly version: string;
  readonly commit: string;
  /** The release that it needs. */
  readonly base: {
    readonly version: string;
    readonly commit: string;
    readonly artifact: string;
    readonly sha256: string;
  };
  /** Name of its file. */
  readonly file: string;
  readonly entries: readonly PartialEntry[];
  readonly removed: readonly PartialRemoval[];
  readonly issues: readonly string[];
  readonly commits: readonly string[];
  /** Paths that a person added to the selection, or left out of it. */
  readonly addedByHand: readonly string[];
  readonly leftOutByHand: readonly string[];
};

const isPath = isInnerPath as Check;

const schema = openObject({
  package: isPackageName,
  version: isVersionText,
  commit: isCommit,
  base: openObject({ version: isVersionText, commit: isCommit, artifact: isPath, sha256: isSha256 }),
  file: isPath,
  entries: list(
    openObject({
      path: isPath,
      effect: isOneOf('added', 'replaced'),
      sha256: isSha256,
      before: orNull(isSha256),
      commits: list(isCommit),
      alsoHolds: list(isCommit),
    }),
  ),
  removed: list(openObject({ path: isPath, before: isSha256, commits: list(isCommit) })),
  issues: list(isLine),
  commits: list(isCommit),
  addedByHand: list(isPath),
  leftOutByHand: list(isPath),
});

/** Reads the record of a partial artifact. */
export function parsePartialRecord(text: string): ParsedRecord<PartialRecord> {
  return parseRecord<PartialRecord>(text, schema);
}

/** The text of the record. */
export function formatPartialRecord(record: PartialRecord): string {
  return `${JSON.stringify({ schema: format, ...record }, null, 2)}\n`;
}
