import path from 'node:path';
import { compareEntries, type EntryComparison, sizeByFolder } from '../../core/contents/compare.ts';
import { commonFolder, type Entry } from '../../core/contents/entry.ts';
import { pickFiles } from '../../core/contents/picks.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { insidePaths } from '../../core/form/artifact.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import type { Context } from '../context.ts';
import { artifactsOnRecord } from '../ledger-record/last-artifact.ts';
import type { ReadArtifact } from '../read/read-artifact.ts';
import { readRecordBeside } from '../release-folder/built-release.ts';
import { openContext } from '../workspace/workspace.ts';

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
  const before = beside?.record.version ?? artifact.manifest?.common.version ?? null;
  const platform = beside?.record.artifacts.find((artifact) => artifact.file === path.basename(file))?.platform ?? null;
  const twin = await artifactsOnRecord(context, repository)({ package: name, before, form: artifact.form, platform });
  if (twin === null) throw noneBefore(file, name, artifact.form);
  const compared = compareContents(`${twin.package} ${twin.version}`, twin.entries, artifact);
  return { ...compared, dependencies: null, entryPoints: null };
}

function compareContents(against: string, before: readonly Entry[], after: ReadArtifact) {
  const prefixes = {
    before: formDefinitions[after.form].entries.hasTopFolder ? commonFolder(before) : '',
    after: after.prefix,
  };
  return {
    against,
    ...compareEntries(before, after.entries, prefixes),
    sizes: sizeByFolder(before, after.entries, prefixes),
  };
}

function dependenciesOf({ manifest }: ReadArtifact): Map<string, string> {
  const needed = (manifest?.common.dependencies ?? []).filter(({ kind }) => kind !== 'development');
  return new Map(needed.map(({ name, range }) => [name, range === '' ? 'any' : range]));
}

function entryPointsOf(artifact: ReadArtifact): Map<string, string> {
  if (!formDefinitions[artifact.form].hasNodeEntries || artifact.manifest === null) return new Map();
  const picks = pickFiles(artifact.manifest.json, insidePaths(artifact));
  return new Map(
    picks.flatMap(({ consumer, entry, file }) => (file === null ? [] : [[`${entry} for ${consumer}`, file] as const])),
  );
}

function changes(before: ReadonlyMap<string, string>, after: ReadonlyMap<string, string>): NamedChange[] {
  return [...new Set([...before.keys(), ...after.keys()])]
    .sort()
    .map((name) => ({ name, before: before.get(name) ?? null, after: after.get(name) ?? null }))
    .filter((item) => item.before !== item.after);
}

function noneBefore(file: string, name: string | null, form: string): BevelstoneError {
  return new BevelstoneError('RELEASE_NOT_BUILT', {
    message: `no earlier release to compare ${path.basename(file)} with`,
    why:
      name === null
        ? 'nothing says which package it is of'
        : `the ledger has no ${form} of ${name} before this version`,
    fix: 'Give the other file: --against FILE',
    where: { file },
  });
}
