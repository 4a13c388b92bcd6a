import path from 'node:path';
import { insertSection, newChangelog } from '../../core/changelog/insert-section.ts';
import { renderMarkdown } from '../../core/changelog/markdown.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Opened } from '../../core/record/run-data.ts';
import { globMatcher } from '../../core/text/glob.ts';
import { readTextIfThere, removeFile, writeWhole } from '../../world/files.ts';
import { listFilesAt } from '../../world/git/read-objects.ts';
import { makeCommitObject, type ObjectCommit } from '../../world/git/release-commit.ts';
import { checkOut } from '../../world/git/worktree.ts';
import { placeInside } from '../../world/place-inside.ts';
import { runStep } from '../../world/step.ts';
import { notesForRelease } from '../build/build-records.ts';
import { recordVersion } from '../build/stamp.ts';
import { type Context, warn } from '../context.ts';
import type { Survey, SurveyedPackage } from '../survey/survey.ts';
import { withoutCredentials } from '../workspace/credential-variables.ts';
import type { Package } from '../workspace/workspace.ts';

/** A package with the version that it gets. */
export type Releasing = {
  readonly pkg: Package;
  readonly surveyed: SurveyedPackage;
  readonly version: string;
};

/** The packages of a survey that have something to release. */
export function releasingOf({ packages }: Survey): Releasing[] {
  return packages.flatMap((surveyed): Releasing[] =>
    surveyed.next === null ? [] : [{ pkg: surveyed.own, surveyed, version: surveyed.next }],
  );
}

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
    for (const each of releasing) {
      const inside = (file: string) => path.posix.join(each.pkg.folder, file);
      const folder = await placeInside(checkout.folder, each.pkg.folder, `\`folder\` of ${each.pkg.name}`);
      const job = { ...each, versions, survey, folder };
      const tracked = [...(await listFilesAt(place, survey.commit, each.pkg.folder)).keys()].map((file) =>
        path.posix.relative(each.pkg.folder, file),
      );
      for (const file of await recordVersion(job, tracked)) written.add(inside(file));
      const about = { survey, surveyed: each.surveyed, version: each.version, source: survey.commit };
      written.add(await writeChangelog(context, { ...about, sourceTime: opened.time }, checkout.folder));
      // The introduction of this release is not that of the next one.
      const intro = inside('notes/next.md');
      await removeFile(await placeInside(checkout.folder, intro, 'notes/next.md'));
      written.add(intro);
    }
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

async function writeChangelog(
  context: Context,
  about: Parameters<typeof notesForRelease>[0],
  checkout: string,
): Promise<string> {
  const { survey, surveyed, version } = about;
  const { links, 'write-back': writeBack } = survey.workspace.config;
  const folder = surveyed.folder === '.' ? '' : surveyed.folder;
  const inside = path.posix.join(folder, writeBack.changelog);
  const notes = await notesForRelease(about);
  const section = (level: number) => renderMarkdown(notes, { links, withPackage: false, level });
  const file = await placeInside(checkout, inside, 'the changelog');
  const text = await readTextIfThere(file);
  const { text: next, change } =
    text === null
      ? { text: newChangelog(notes.package, section), change: 'inserted' }
      : insertSection(text, version, section);
  if (change === 'already-there') warn(context, `${inside} already has a section for ${version}; it was not changed`);
  else await writeWhole(file, next);
  return inside;
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
