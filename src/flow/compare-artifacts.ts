import path from 'node:path';
import { compareEntries, type EntryComparison, sizeByFolder } from '../core/contents/compare.ts';
import { commonFolder, type Entry } from '../core/contents/entry.ts';
import { pickFiles } from '../core/contents/picks.ts';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { foldEvents, type LedgerEvent, type LedgerRelease } from '../core/ledger/event.ts';
import { insidePaths } from '../core/rule/rule.ts';
import { compareVersions, isVersion } from '../core/version/version.ts';
import { ledgerRef, readEvents } from '../world/git/ledger-store.ts';
import { readFilesAt } from '../world/git/read-objects.ts';
import { readRecordBeside } from './built-release.ts';
import type { Context } from './context.ts';
import { contentsFile } from './ledger-writer.ts';
import type { ReadArtifact } from './read-artifact.ts';
import { openContext } from './workspace.ts';

/** Something named that was added, removed or is another now; null stands for "not there". */
export type NamedChange = { readonly name: string; readonly before: string | null; readonly after: string | null };

/** How an artifact differs from another one. */
export type ArtifactComparison = EntryComparison & {
  /** What it was compared with. */
  readonly against: string;
  readonly sizes: readonly { readonly folder: string; readonly before: number; readonly after: number }[];
  /** Null when the other one's manifest is not at hand. */
  readonly dependencies: readonly NamedChange[] | null;
  readonly entryPoints: readonly NamedChange[] | null;
};

/** Compares two artifacts that were read. */
export function compareArtifacts(against: string, before: ReadArtifact, after: ReadArtifact): ArtifactComparison {
  return {
    ...compareContents(against, before.entries, after),
    dependencies: changes(dependenciesOf(before), dependenciesOf(after)),
    entryPoints: changes(entryPointsOf(before), entryPointsOf(after)),
  };
}

/**
 * Compares with the artifact of the same form and platform in the last release before this one, by the contents list that
 * the ledger keeps, so that nothing has to be fetched.
 * @throws RELEASE_NOT_BUILT when no earlier release is on record, LEDGER_DAMAGED when its list is not there.
 */
export async function compareWithLast(
  context: Context,
  file: string,
  artifact: ReadArtifact,
): Promise<ArtifactComparison> {
  const repository = await openContext(context);
  const beside = await readRecordBeside(file);
  const name = beside?.record.package ?? artifact.manifest?.common.name ?? null;
  const version = beside?.record.version ?? artifact.manifest?.common.version ?? null;
  const events = await readEvents(repository);
  const last = foldEvents(events)
    .filter((one) => one.package === name && isBefore(one.version, version))
    .sort((a, b) => compareVersions(b.version, a.version))[0];
  const platform = beside?.record.artifacts.find((one) => one.file === path.basename(file))?.platform ?? null;
  const twin = last?.artifacts.find((one) => one.form === artifact.form && one.platform === platform);
  if (last === undefined || twin === undefined) throw noneBefore(file, name, artifact.form);
  const list = await readContentsList(repository.place, events, last);
  const entries = list.find((one) => one.file === twin.file)?.entries ?? [];
  const compared = compareContents(`${last.package} ${last.version}`, entries.map(toEntry), artifact);
  return { ...compared, dependencies: null, entryPoints: null };
}

type ListedEntry = {
  readonly path: string;
  readonly type: Entry['type'];
  readonly size: number;
  readonly mode: string;
  readonly sha256: string | null;
};

function toEntry({ path: inside, type, size, mode, sha256 }: ListedEntry): Entry {
  return { path: inside, type, sizeBytes: size, mode: Number.parseInt(mode, 8), linkname: null, sha256 };
}

async function readContentsList(
  place: Parameters<typeof readFilesAt>[0],
  events: readonly LedgerEvent[],
  { package: name, version }: LedgerRelease,
): Promise<{ file: string; entries: ListedEntry[] }[]> {
  const planned = events.find(
    (event) => event.type === 'planned' && event.package === name && event.version === version,
  );
  const digest = planned?.type === 'planned' ? planned.contents : '';
  const inside = `${name}/${version}/contents-${digest}.json`;
  const text = (await readFilesAt(place, ledgerRef, [inside])).get(inside) ?? null;
  if (text !== null && contentsFile(text).sha256 === digest) return JSON.parse(text).artifacts;
  throw new BevelstoneError('LEDGER_DAMAGED', {
    message: `The contents list of ${name} ${version} is not in the ledger`,
    why: text === null ? `there is no ${inside}` : 'it is not the one that was recorded',
    fix: 'Fetch the ledger again from the remote',
  });
}

function compareContents(against: string, before: readonly Entry[], after: ReadArtifact) {
  const prefixes = { before: after.form === 'deb' ? '' : commonFolder(before), after: after.prefix };
  return {
    against,
    ...compareEntries(before, after.entries, prefixes),
    sizes: sizeByFolder(before, after.entries, prefixes),
  };
}

function isBefore(version: string, than: string | null): boolean {
  return than === null || !isVersion(than) || compareVersions(version, than) < 0;
}

function dependenciesOf({ manifest }: ReadArtifact): Map<string, string> {
  const needed = (manifest?.common.dependencies ?? []).filter(({ kind }) => kind !== 'development');
  return new Map(needed.map(({ name, range }) => [name, range === '' ? 'any' : range]));
}

function entryPointsOf(artifact: ReadArtifact): Map<string, string> {
  if (artifact.form !== 'npm-tarball' || artifact.manifest === null) return new Map();
  const picks = pickFiles(artifact.manifest.json, insidePaths(artifact));
  return new Map(
    picks.flatMap(({ consumer, entry, file }) => (file === null ? [] : [[`${entry} for ${consumer}`, file] as const])),
  );
}

function changes(before: ReadonlyMap<string, string>, after: ReadonlyMap<string, string>): NamedChange[] {
  return [...new Set([...before.keys(), ...after.keys()])]
    .sort()
    .map((name) => ({ name, before: before.get(name) ?? null, after: after.get(name) ?? null }))
    .filter((one) => one.before !== one.after);
}

function noneBefore(file: string, name: string | null, form: string): BevelstoneError {
  return new BevelstoneError('RELEASE_NOT_BUILT', {
    message: `There is no earlier release to compare ${path.basename(file)} with`,
    why:
      name === null
        ? 'nothing says which package it is of'
        : `the ledger has no ${form} of ${name} before this version`,
    fix: 'Name the other file: --against FILE',
    where: { file },
  });
}
