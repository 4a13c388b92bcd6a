import path from 'node:path';
import type { ArtifactConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isWholeArchive } from '../../core/form/definitions.ts';
import { fileNameOf } from '../../core/form/placeholder.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { baseFor } from '../../core/partial/base-for.ts';
import { earlierTwin } from '../../core/partial/earlier-twin.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import { warn } from '../context.ts';
import { readLedger } from '../ledger-record/ledger.ts';
import { requireVouched, vouchedArtifacts } from '../ledger-record/vouched.ts';
import type { BuildJob } from './build-job.ts';
import { listEntries } from './build-records.ts';
import { readChangeCommits } from './change-commits.ts';
import { type PackedArtifact, toRecord } from './pack-artifact.ts';
import { planPartial, writePartial } from './partial-archive.ts';

/** Partial artifacts that the configuration asks for. */
export function newOnlyOf({ pkg }: Pick<BuildJob, 'pkg'>): ArtifactConfig[] {
  return pkg.config.artifacts.filter((artifact) => artifact['only-new-after'] !== null);
}

/**
 * Packs the artifacts with `only-new-after`: what is new since a release on record, taken from the package's first archive that
 * can be unpacked. Of a package without such a release there is none, which is a warning.
 * @param packed the whole artifacts, which lie in the folder.
 * @throws CONFIG_INVALID without a whole archive; PLAN_UNVERIFIED, COMMIT_NOT_FOUND, LEDGER_DAMAGED for the base.
 */
export async function packNewOnly(
  job: BuildJob,
  { packed, folder }: { readonly packed: readonly PackedArtifact[]; readonly folder: string },
): Promise<PackedArtifact[]> {
  const made: PackedArtifact[] = [];
  const configs = newOnlyOf(job);
  if (configs.length === 0) return made;
  const known = await readLedger(job.context, job.survey.workspace.repository);
  const bases = new Set<string>();
  for (const config of configs) {
    const wanted = config['only-new-after'] ?? '';
    const base = baseFor(known, { package: job.pkg.name, version: job.version, wanted });
    if (base === null) {
      const what = wanted === 'last' ? 'an earlier release' : wanted;
      warn(
        job.context,
        `${job.pkg.name} has no partial artifact: ${what} is not on record, so there is nothing to put it on`,
      );
      continue;
    }
    // `last` and the version that it is now give one archive.
    if (bases.has(base.version)) continue;
    bases.add(base.version);
    requireVouched(base, 'Fetch the tags and try again: git fetch --tags');
    made.push(...(await packAfter(job, { config, base, packed, folder })));
  }
  return made;
}

async function packAfter(
  job: BuildJob,
  {
    config,
    base,
    packed,
    folder,
  }: {
    readonly config: ArtifactConfig;
    readonly base: LedgerRelease;
    readonly packed: readonly PackedArtifact[];
    readonly folder: string;
  },
): Promise<PackedArtifact[]> {
  const { survey, pkg, version, sourceTime } = job;
  const { workspace, commit } = survey;
  if (!packed.some(({ record }) => isWholeArchive(record))) throw noWhole(pkg.name);
  const pairs = pairsOf(packed, version, base);
  if (pairs.length === 0)
    warn(job.context, `${pkg.name} has no partial artifact: ${base.version} had no archive that can be compared`);
  const commits = await readChangeCommits(workspace.repository, {
    from: base.commit,
    to: commit,
    isSelected: () => true,
  });
  const made: PackedArtifact[] = [];
  for (const { whole, before } of pairs) {
    const { record: after, entries } = whole;
    const about = {
      package: pkg.name,
      version,
      commit,
      base,
      before,
      after,
      commits,
      entries: [...listEntries(entries)],
    };
    const source = { workspace, ...about };
    const { record, selection } = await planPartial(source, null);
    const { entries: fresh, removed } = selection;
    if (fresh.length + removed.length === 0) {
      warn(job.context, `${after.file} has no partial artifact: nothing in it is new since ${base.version}`);
      continue;
    }
    const platform = after.platform === null ? '' : `-${after.platform}`;
    const file = `${fileNameOf(pkg.name)}-${version}-after-${base.version}${platform}.tar.gz`;
    const written = await writePartial(source, {
      record: { ...record, file },
      archive: path.join(folder, after.file),
      time: sourceTime,
      target: path.join(folder, file),
    });
    const packedRecord = toRecord({
      file,
      artifactConfig: config,
      platform: after.platform,
      writtenArchive: written,
      metadata: '',
    });
    const added = fresh.filter(({ effect }) => effect === 'added').length;
    const partial = {
      base: base.version,
      added,
      replaced: fresh.length - added,
      removed: removed.length,
      commits: record.commits.length,
      issues: record.issues,
    };
    made.push({ record: { ...packedRecord, partial }, entries: written.entries });
  }
  return made;
}

/** For each platform the first archive that can be unpacked and that the base has too, with that one. */
function pairsOf(
  packed: readonly PackedArtifact[],
  version: string,
  base: LedgerRelease,
): { readonly whole: PackedArtifact; readonly before: ArtifactRecord }[] {
  const now = { version, artifacts: packed.map(({ record }) => record) };
  const earlier = { version: base.version, artifacts: vouchedArtifacts(base) };
  const found = new Map<string | null, { readonly whole: PackedArtifact; readonly before: ArtifactRecord }>();
  for (const whole of packed) {
    const { record } = whole;
    const before = isWholeArchive(record) ? earlierTwin(record, now, earlier) : undefined;
    if (before !== undefined && !found.has(record.platform)) found.set(record.platform, { whole, before });
  }
  return [...found.values()];
}

function noWhole(name: string): BevelstoneError {
  return new BevelstoneError('CONFIG_INVALID', {
    message: `${name} has an artifact with only-new-after, and no whole archive that it could be taken from`,
    why: 'its entries come from an archive that can be unpacked, such as a tar.gz, a zip or an npm-tarball',
    fix: 'Add a whole one before it: artifacts: [{ form: tar.gz }, { form: tar.gz, only-new-after: last }]',
  });
}
