import path from 'node:path';
import type { Config } from '../../core/config/config.ts';
import { parseConfig } from '../../core/config/parse-config.ts';
import { ecosystemDefinitions, manifestFiles } from '../../core/ecosystem/definitions.ts';
import type { FoundPackage } from '../../core/ecosystem/found-package.ts';
import { guessBranches, writeLayout } from '../../core/ecosystem/guess-layout.ts';
import { guessTags, type TagHabit } from '../../core/ecosystem/guess-tags.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { guessPatterns } from '../../core/history/guess-patterns.ts';
import { compareNumbers, versionLike } from '../../core/version/loose-version.ts';
import type { Tag } from '../../core/version/tag-pattern.ts';
import { exists, readTextIfThere, removeFile, writeWhole } from '../../world/files.ts';
import { listFilesAt, readFilesAt } from '../../world/git/read-objects.ts';
import { readTags } from '../../world/git/read-tags.ts';
import { currentBranch, type Repository } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import { type Context, warn } from '../context.ts';
import { writeEditorSchema } from '../workspace/config.ts';
import { openContext } from '../workspace/workspace.ts';
import { plainSurvey, surveyWorkspace } from './survey.ts';

/** The answer of `init`. */
export type Init = {
  readonly file: string;
  readonly written: boolean;
  readonly config: Config;
  readonly text: string;
  /** What the first survey says: last and next version of each package. */
  readonly packages: readonly { readonly name: string; readonly last: string | null; readonly next: string | null }[];
};

/**
 * Looks at manifests, tags, branches and changelogs, and writes a commented bevelstone.yaml whose survey finds the repository's
 * own last versions. Never overwrites.
 * @throws CONFIG_EXISTS, PACKAGE_NOT_FOUND when there is no manifest.
 */
export async function init(context: Context, { dryRun }: { readonly dryRun: boolean }): Promise<Init> {
  const repository = await openContext(context);
  const file = path.join(repository.root, 'bevelstone.yaml');
  if (await exists(file)) throw alreadyThere(file);
  const files = [...(await listFilesAt(repository.place, 'HEAD', '')).keys()];
  const found = await findPackages(context, repository, files);
  if (found.length === 0) throw noManifest();
  const { packages, habit } = nameByTags(await tagsByAge(repository), found);
  const text = writeLayout({
    packages,
    tags: habit,
    branches: guessBranches(await branchNames(repository), await currentBranch(repository.place)),
    changelog: findChangelog(files, packages),
    commits: guessPatterns(await lastSubjects(repository)),
  });
  const config = parseConfig(text, 'bevelstone.yaml');
  // What contradicts itself is refused before anything is written.
  const surveyed = await firstSurvey(context, { repository, text, packages, habit });
  if (dryRun) return { file, written: false, config, text, packages: surveyed };
  await writeWhole(file, text);
  await ignoreOutput(repository, config.output);
  await writeEditorSchema(context, repository);
  return { file, written: true, config, text, packages: surveyed };
}

/** A package with its name as the manifest has it. */
type NamedPackage = FoundPackage & { readonly fullName: string };

/** Packages by the names that their tags use: the manifest's full name, or the part behind its scope. */
function nameByTags(
  tags: readonly Tag[],
  found: readonly NamedPackage[],
): { readonly packages: readonly FoundPackage[]; readonly habit: TagHabit | null } {
  const full = found.map((pkg) => ({ ...pkg, name: pkg.fullName }));
  const [short, long] = [guessTags(tags, found), guessTags(tags, full)];
  const isLonger = (long?.count ?? 0) > (short?.count ?? 0);
  return isLonger ? { packages: full, habit: long } : { packages: found, habit: short };
}

/** Version tags, oldest first; of equal dates the lower version first. */
async function tagsByAge({ place }: Repository): Promise<Tag[]> {
  const { tags } = await readTags(place);
  const { text } = await git(place, ['for-each-ref', '--format=%(creatordate:unix) %(refname)', 'refs/tags']);
  const dates = new Map(
    text.split('\n').map((line) => [line.replace(/^\d* refs\/tags\//, ''), Number.parseInt(line, 10)]),
  );
  const numbers = (name: string) => versionLike(name)?.numbers ?? [];
  return tags.toSorted(
    (a, b) => (dates.get(a.name) || 0) - (dates.get(b.name) || 0) || compareNumbers(numbers(a.name), numbers(b.name)),
  );
}

/**
 * What the first survey with the new configuration says. That a first release has to be settled is a warning: the file is
 * still the way to settle it.
 * @throws TAG_AMBIGUOUS, TAG_CLAIMED_TWICE, MANIFEST_INVALID and whatever else a survey refuses.
 */
async function firstSurvey(
  context: Context,
  {
    repository,
    text,
    packages,
    habit,
  }: {
    readonly repository: Repository;
    readonly text: string;
    readonly packages: readonly FoundPackage[];
    readonly habit: TagHabit | null;
  },
): Promise<Init['packages']> {
  const draft = path.join(repository.commonFolder, 'bevelstone', 'init.yaml');
  await writeWhole(draft, text);
  try {
    const survey = await surveyWorkspace({ ...context, configFile: draft }, plainSurvey);
    const surveyed = survey.packages.map(({ name, last, next }) => ({ name, last: last?.version ?? null, next }));
    for (const { name, last } of surveyed) {
      const tagged = habit?.last.get(name) ?? null;
      if (tagged !== null && tagged !== last)
        warn(
          context,
          `${name}: ${tagged} is tagged on another branch; the last release of this branch is ${last ?? 'none'}`,
        );
    }
    return surveyed;
  } catch (error) {
    if (!isBevelstoneError(error, 'VERSION_BELOW', 'VERSION_ELSEWHERE', 'STREAM_BEHIND')) throw error;
    for (const { message, fix } of error.problems.length > 0 ? error.problems : [error])
      warn(context, `${message}\n${fix}`);
    return packages.map(({ name }) => ({ name, last: habit?.last.get(name) ?? null, next: null }));
  } finally {
    await removeFile(draft);
  }
}

/** Folders that hold what others made, or samples. */
const passedOver =
  /(?:^|\/)(?:node_modules|vendor|third[-_]party|test|tests|fixtures?|examples?|samples?|demo|dist|build|target)\//;

async function findPackages(
  context: Context,
  repository: Repository,
  files: readonly string[],
): Promise<NamedPackage[]> {
  const candidates = files.filter((file) => file.split('/').length <= 4 && !passedOver.test(file));
  const found = new Map<string, NamedPackage>();
  for (const { file: name, ecosystem, load } of manifestFiles) {
    const ending = name.replace('{package}', '');
    const own = candidates.filter((file) => {
      const base = path.posix.basename(file);
      return name.startsWith('{package}') ? base.endsWith(ending) && base !== ending : base === name;
    });
    const texts = await readFilesAt(repository.place, 'HEAD', own);
    for (const manifest of own) {
      const folder = path.posix.dirname(manifest) === '.' ? '' : path.posix.dirname(manifest);
      const text = texts.get(manifest) ?? null;
      if (text === null || found.has(folder)) continue;
      try {
        const read = (await load()).read(text, manifest);
        // A manifest that is for the workspace alone names nothing that is released.
        if (ecosystemDefinitions[ecosystem].isPrivate(text)) continue;
        const called = name.startsWith('{package}')
          ? path.posix.basename(manifest).slice(0, -ending.length)
          : read.name;
        const fullName = called ?? path.posix.basename(folder || repository.root);
        const plain =
          fullName
            .replace(/^@[^/]+\//, '')
            .split(':')
            .at(-1) ?? '';
        found.set(folder, { name: plain, fullName, folder, ecosystem, version: read.version });
      } catch (error) {
        warn(context, `${manifest} cannot be read and was skipped: ${(error as Error).message}`);
      }
    }
  }
  return distinct([...found.values()].sort((a, b) => (a.folder < b.folder ? -1 : 1)));
}

/** Two ecosystems may have a package of the same name; the later one is named by its folder. */
function distinct(packages: readonly NamedPackage[]): NamedPackage[] {
  const taken = new Set<string>();
  return packages.map((pkg) => {
    const name = taken.has(pkg.name) ? path.posix.basename(pkg.folder) : pkg.name;
    taken.add(name);
    return { ...pkg, name };
  });
}

async function branchNames({ place }: Repository): Promise<string[]> {
  const { text } = await git(place, ['for-each-ref', '--format=%(refname)', 'refs/heads', 'refs/remotes']);
  const names = text.split('\n').filter(Boolean);
  return [...new Set(names.map((ref) => ref.replace(/^refs\/(?:heads|remotes\/[^/]+)\//, '')))];
}

function findChangelog(files: readonly string[], packages: readonly FoundPackage[]): string | null {
  const inside = (name: string) => packages.some(({ folder }) => files.includes(path.posix.join(folder, name)));
  if (inside('CHANGELOG.md')) return null;
  return ['CHANGES.md', 'HISTORY.md', 'NEWS.md', 'Changelog.md', 'changelog.md'].find(inside) ?? null;
}

/** Subjects of the last 200 commits, newest first. */
async function lastSubjects({ place }: Repository): Promise<string[]> {
  const { text } = await git(place, ['log', '-200', '--no-merges', '-z', '--format=%s']);
  return text.split('\0').filter((subject) => subject.trim() !== '');
}

async function ignoreOutput({ root }: Repository, output: string): Promise<void> {
  const file = path.join(root, '.gitignore');
  const text = (await readTextIfThere(file)) ?? '';
  if (text.split('\n').some((line) => line.replace(/^\/|\/$/g, '') === output)) return;
  await writeWhole(file, `${text}${text === '' || text.endsWith('\n') ? '' : '\n'}${output}/\n`);
}

function alreadyThere(file: string): BevelstoneError {
  return new BevelstoneError('CONFIG_EXISTS', {
    message: 'bevelstone.yaml already exists',
    why: 'init never overwrites files',
    fix: 'Edit it, then run: bevelstone config check',
    where: { file },
  });
}

function noManifest(): BevelstoneError {
  return new BevelstoneError('PACKAGE_NOT_FOUND', {
    message: 'no manifest is committed',
    why: `none of ${manifestFiles.map(({ file }) => file.replace('{package}', 'NAME')).join(', ')} was found in the top folders`,
    fix: 'Commit the manifest of your package, or write bevelstone.yaml yourself: docs/configuration.md',
  });
}
