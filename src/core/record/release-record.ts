import type { ChangeRecord } from '../history/change-record.ts';
import type { Ecosystem } from '../name/ecosystem.ts';
import { type Form, forms } from '../name/form.ts';
import type { Spellings } from '../version/spelling.ts';
import { type Weight, weights } from '../version/weight.ts';
import { type ParsedRecord, parseRecord } from './parse-record.ts';
import type { ProgramVersions } from './program-versions.ts';
import { aboutShape, artifactSchema, haveOwnNames, isTagName } from './release-parts.ts';
import {
  isCommit,
  isFlag,
  isLine,
  isOneOf,
  isPackageName,
  isSha256,
  isText,
  isVersionText,
  list,
  openObject,
  orNull,
} from './schema.ts';

/** One built artifact as it is recorded. Digests in hexadecimal. */
export type ArtifactRecord = {
  readonly file: string;
  readonly form: Form;
  readonly platform: string | null;
  readonly size: number;
  readonly sha256: string;
  readonly sha512: string;
  readonly sha1: string;
  readonly contentDigest: string;
  /** How many entries it has. */
  readonly entries: number;
  /** Hashes of its form that clients check, such as `h1` of a module for Go; left out where there are none. */
  readonly hashes?: Readonly<Record<string, string>>;
  /** SHA-256 of its public surface, one line for each name; left out where none was read. */
  readonly surface?: string;
  /** What a partial artifact has; left out for a whole one. */
  readonly partial?: PartialSummary;
};

/** How much of a release a partial artifact has, and on which release it is put. */
export type PartialSummary = {
  /** Version of its base. */
  readonly base: string;
  readonly added: number;
  readonly replaced: number;
  readonly removed: number;
  /** How many commits its entries come from. */
  readonly commits: number;
  readonly issues: readonly string[];
};

/** What a partial artifact has, as `for 1.3.2: 2 added, 1 replaced, 0 removed, from 3 commits; issues 12, 15`. */
export function partialSummaryText({ base, added, replaced, removed, commits, issues }: PartialSummary): string {
  const from = `from ${commits} ${commits === 1 ? 'commit' : 'commits'}`;
  const named = issues.length === 0 ? '' : `; ${issues.length === 1 ? 'issue' : 'issues'} ${issues.join(', ')}`;
  return `for ${base}: ${added} added, ${replaced} replaced, ${removed} removed, ${from}${named}`;
}

/** The same of each partial artifact, with its file. */
export function partialTexts(artifacts: readonly Pick<ArtifactRecord, 'file' | 'partial'>[]): string[] {
  return artifacts.flatMap(({ file, partial }) =>
    partial === undefined ? [] : [`${file} ${partialSummaryText(partial)}`],
  );
}

/** Whether two artifacts are the same part of their releases: form, platform, and whether they are whole. */
export function areTwins(
  one: Pick<ArtifactRecord, 'form' | 'platform' | 'partial'>,
  other: Pick<ArtifactRecord, 'form' | 'platform' | 'partial'>,
): boolean {
  return (
    one.form === other.form &&
    one.platform === other.platform &&
    (one.partial === undefined) === (other.partial === undefined)
  );
}

/** An artifact of a platform that is to be built elsewhere. */
export type PendingArtifact = { readonly form: Form; readonly platform: string; readonly why: string };

/** `release.json`: what the ledger will say of a release. */
export type ReleaseRecord = {
  readonly schema: 'bevelstone/1';
  readonly package: string;
  /** Name in the ecosystem's manifest. */
  readonly name: string;
  readonly ecosystem: Ecosystem;
  readonly folder: string;
  readonly version: string;
  readonly last: string | null;
  readonly weight: Weight;
  readonly reasons: readonly string[];
  readonly spellings: Spellings;
  readonly tag: string;
  readonly stream: { readonly name: string; readonly type: string; readonly pointer: string };
  /** The commit it was built from, and the one that was surveyed. */
  readonly commit: string;
  readonly source: string;
  /** SOURCE_DATE_EPOCH of the build: seconds since 1970. */
  readonly sourceTime: number;
  /** SHA-256 of bevelstone.yaml at the commit, null without one. */
  readonly configDigest: string | null;
  /** Packages of the workspace that it needs when installed. */
  readonly needs: readonly string[];
  readonly artifacts: readonly ArtifactRecord[];
  /** SBOMs written for it, of the form `spdx` or `cyclonedx`; none until they are. */
  readonly sboms: readonly ArtifactRecord[];
  /** Artifacts that could not be built on this machine. */
  readonly pending: readonly PendingArtifact[];
  /** Whether it was built from files that no commit holds. */
  readonly uncommitted: boolean;
  /** Changes that count for it, newest first; missing in records that older programs wrote. Only commands of `afterwards` read them. */
  readonly changes?: readonly ChangeRecord[];
  /** What the build steps used. */
  readonly tools: readonly {
    readonly name: string;
    readonly path: string;
    readonly version: string | null;
    readonly sha256: string;
  }[];
  readonly program: ProgramVersions & { readonly arch: string };
};

const releaseSchema = openObject({
  ...aboutShape,
  package: isPackageName,
  version: isVersionText,
  last: orNull(isVersionText),
  weight: isOneOf(...weights),
  reasons: list(isText),
  tag: isTagName,
  commit: isCommit,
  source: isCommit,
  configDigest: orNull(isSha256),
  artifacts: list(artifactSchema),
  sboms: list(artifactSchema),
  pending: list(openObject({ form: isOneOf(...forms), platform: isLine, why: isText })),
  uncommitted: isFlag,
  tools: list(openObject({ name: isLine, path: isText, version: orNull(isText), sha256: isSha256 })),
  // Empty in a record that was made from the ledger.
  program: openObject({ bevelstone: isText, node: isText, zlib: isText, arch: isText }),
});

/** Reads a `release.json`. */
export function parseReleaseRecord(text: string): ParsedRecord<ReleaseRecord> {
  const parsed = parseRecord<ReleaseRecord>(text, releaseSchema);
  if (parsed.type !== 'record') return parsed;
  const { artifacts, sboms } = parsed.record;
  if (haveOwnNames([...artifacts, ...sboms])) return parsed;
  return { type: 'damaged', why: 'two files have the same name' };
}
