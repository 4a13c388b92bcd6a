import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Opened } from '../../core/record/run-data.ts';
import { globMatcher } from '../../core/text/glob.ts';
import { removeFile, writeWhole } from '../../world/files.ts';
import { listFilesAt } from '../../world/git/read-objects.ts';
import { makeCommitObject, type ObjectCommit } from '../../world/git/release-commit.ts';
import { checkOut } from '../../world/git/worktree.ts';
import { placeInside } from '../../world/place-inside.ts';
import { runStep } from '../../world/step.ts';
import { notesForRelease } from '../build/build-records.ts';
import { updateLockfiles } from '../build/own-lockfiles.ts';
import { placesIn, recordVersion } from '../build/stamp.ts';
import { type Context, warn } from '../context.ts';
import { extendChangelogFile } from '../survey/changelog-file.ts';
import type { Survey } from '../survey/survey.ts';
import { withoutCredentials } from '../workspace/credential-variables.ts';
import type { Package } from '../workspace/workspace.ts';
import { raiseMembers, releasedManifests } from './member-ranges.ts';
import { type Releasing, releasingOf } from './releasing.ts';

/**
 * The commit that a release is built from: versions, changelogs and whatever `write-back.make` regenerates, on top of the
 * surveyed commit. An object only; nothing moves.
 * @returns null when the repository holds all of it already.
 * @throws STEP_FAILED when a command of `make` fails.
 */
export async function makeReleaseCommit(
  context: Context,
  {
    survey,
    releasing,
    opened,
  }: {
    readonly survey: Survey;
    readonly releasing: readonly Releasing[];
    readonly opened: Pick<Opened, 'time' | 'run'>;
  },
): Promise<ObjectCommit | null> {
  const { repository, config } = survey.workspace;
  const place = { ...repository.place, env: withoutCredentials(context.env, config) };
  const checkout = await checkOut({ ...repository, place }, survey.commit, 'record-');
  try {
    const written = new Set<string>();
    const versions = new Map(releasing.map(({ pkg, version }) => [pkg.index, version]));
    const files = new Set((await listFilesAt(place, survey.commit, '')).keys());
    await refuseShared({ survey, versions, checkout: checkout.folder, files });
    for (const each of releasing) {
      const inside = (file: string) => path.posix.join(each.pkg.folder, file);
      const folder = await placeInside(checkout.folder, each.pkg.folder, `\`folder\` of ${each.pkg.name}`);
      const job = { ...each, versions, survey, folder, checkout: checkout.folder, write: writeWhole };
      const recorded = await recordVersion(job, files);
      for (const file of recorded.changed) written.add(file);
      for (const file of recorded.onlyBuilt)
        warn(context, `${inside(file)} gets its stamp in the build only: the rule could not be applied to it again`);
      const { surveyed, version } = each;
      const notes = await notesForRelease({
        context,
        survey,
        surveyed,
        version,
        source: survey.commit,
        sourceTime: opened.time,
      });
      const changelog = await extendChangelogFile(context, {
        survey,
        surveyed,
        notes: { ...notes, version },
        at: new Date(opened.time * 1000),
        root: checkout.folder,
      });
      written.add(changelog.inside);
      // The introduction of this release is not that of the next one.
      const intro = inside('notes/next.md');
      await removeFile(await placeInside(checkout.folder, intro, 'notes/next.md'));
      written.add(intro);
    }
    const search = { survey, releasing, checkout: checkout.folder, files };
    const members = await raiseMembers(search);
    for (const { file } of members) written.add(file);
    const manifests = [...releasedManifests(search), ...members];
    for (const file of await updateLockfiles({ checkout: checkout.folder, write: writeWhole }, files, manifests))
      written.add(file);
    const makes = await runMakes(context, { survey, checkout: checkout.folder, opened });
    const takes = (file: string) => written.has(file) || makes.some((fits) => fits(file));
    const message = messageOf(config['write-back'].message, releasing);
    return await makeCommitObject(repository, {
      parent: survey.commit,
      checkout: checkout.folder,
      takes,
      message,
      time: opened.time,
    });
  } finally {
    await checkout.remove();
  }
}

/**
 * A version that several packages take from one place can only change for all of them at once.
 * @throws VERSION_SHARED
 */
async function refuseShared({
  survey,
  versions,
  checkout,
  files,
}: {
  readonly survey: Survey;
  readonly versions: ReadonlyMap<number, string>;
  readonly checkout: string;
  readonly files: ReadonlySet<string>;
}): Promise<void> {
  const { packages } = survey.workspace;
  if (packages.length < 2) return;
  const owners = new Map<string, { readonly pkg: Package; readonly what: string }>();
  for (const pkg of packages) {
    for (const { file, what, isSource } of await placesIn({ pkg, checkout }, files)) {
      if (!isSource) continue;
      const other = owners.get(`${file}\n${what}`);
      if (other === undefined) owners.set(`${file}\n${what}`, { pkg, what });
      else if (versions.get(other.pkg.index) !== versions.get(pkg.index))
        throw versionShared({
          file,
          what,
          names: [other.pkg.name, pkg.name],
          versions: [other.pkg, pkg].map(({ index }) => versions.get(index) ?? null),
        });
    }
  }
}

function versionShared({
  file,
  what,
  names,
  versions,
}: {
  readonly file: string;
  readonly what: string;
  readonly names: readonly string[];
  readonly versions: readonly (string | null)[];
}): BevelstoneError {
  const each = names.map((name, index) => `${name} would be ${versions[index] ?? 'left as it is'}`);
  return new BevelstoneError('VERSION_SHARED', {
    message: `${names.join(' and ')} take their version from the same place: ${what} in ${file}`,
    why: `it can hold one version only, and ${each.join(', ')}`,
    fix: `Release them together: together: { all: [${names.join(', ')}] }, or give each a version of its own`,
    where: { file },
  });
}

/** Runs the commands of `make` in the checkout. @returns what tells whether a path is one of their files. */
async function runMakes(
  context: Context,
  {
    survey,
    checkout,
    opened: { time, run },
  }: { readonly survey: Survey; readonly checkout: string; readonly opened: Pick<Opened, 'time' | 'run'> },
): Promise<((file: string) => boolean)[]> {
  const { repository, config } = survey.workspace;
  const versions = Object.fromEntries(
    releasingOf(survey).map(({ pkg, version }) => [
      `BEVELSTONE_VERSION_${pkg.name.toUpperCase().replace(/[^A-Z0-9]+/g, '_')}`,
      version,
    ]),
  );
  const inherited = withoutCredentials(context.env, config) as Record<string, string>;
  for (const [index, { run: line }] of config['write-back'].make.entries()) {
    context.report({ type: 'started', what: line });
    const log = path.join(repository.commonFolder, 'bevelstone', 'logs', `${run}-make-${index + 1}.log`);
    const env = { ...inherited, LC_ALL: 'C', TZ: 'UTC', SOURCE_DATE_EPOCH: String(time), ...versions };
    const { signal } = context;
    const end = await runStep({ run: line, folder: checkout, env, log, signal, timeoutMs: 60 * 60_000 });
    if (end.exitCode !== 0) {
      context.report({ type: 'failed', what: line, why: `it ended with ${end.exitCode ?? 'a signal'}` });
      throw new BevelstoneError('STEP_FAILED', {
        message: `\`${line}\` from \`write-back.make\` failed`,
        why: ['last lines of its output:', ...end.tail.map((line) => `| ${line}`)].join('\n'),
        fix: `Full log: ${log}\nThen correct it, commit, and release again`,
      });
    }
    context.report({ type: 'finished', what: line });
  }
  return config['write-back'].make.map(({ files }) => globMatcher(files));
}

function messageOf(template: string, releasing: readonly Releasing[]): string {
  const names = releasing.map(({ pkg, version }) => `${pkg.name} ${version}`).join(', ');
  return template.replaceAll('{releases}', names);
}
