import path from 'node:path';
import type { Config } from '../../core/config/config.ts';
import { parseConfig } from '../../core/config/parse-config.ts';
import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import type { FoundPackage } from '../../core/ecosystem/found-package.ts';
import {
  type ChosenDestination,
  guessBranches,
  type LayoutGuess,
  writeLayout,
} from '../../core/ecosystem/guess-layout.ts';
import { guessTags, type TagHabit } from '../../core/ecosystem/guess-tags.ts';
import { patternOfClients } from '../../core/ecosystem/package-tags.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { guessPatterns } from '../../core/history/guess-patterns.ts';
import { compareNumbers, strictReading, versionLike } from '../../core/version/loose-version.ts';
import type { Tag } from '../../core/version/tag-pattern.ts';
import { exists, readTextIfThere, removeFile, writeWhole } from '../../world/files.ts';
import { listFilesAt } from '../../world/git/read-objects.ts';
import { readTags } from '../../world/git/read-tags.ts';
import { currentBranch, type Repository } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import { type Context, warn } from '../context.ts';
import { writeEditorSchema } from '../workspace/config.ts';
import { openContext } from '../workspace/workspace.ts';
import { findPackages, headFiles, type NamedPackage, proposeAll, sharedVersions } from './find-packages.ts';
import { plainSurvey, surveyWorkspace } from './survey.ts';
import { type TriedRelease, tryLastReleases } from './try-patterns.ts';

/** What `init` was asked to do. */
export type InitOptions = {
  readonly dryRun: boolean;
  /** Whether the defaults are taken without asking. */
  readonly yes: boolean;
};

/** The answer of `init`. */
export type Init = {
  readonly file: string;
  readonly written: boolean;
  readonly config: Config;
  readonly text: string;
  /** What the first survey says: last and next version of each package. */
  readonly packages: readonly { readonly name: string; readonly last: string | null; readonly next: string | null }[];
  /** Everything that was written, and what for. */
  readonly wrote: readonly { readonly file: string; readonly what: string }[];
  /** What is not supported, one sentence each. */
  readonly limits: readonly string[];
  /** What the configuration would have made of the last releases; only where it has patterns of its own. */
  readonly tried: readonly TriedRelease[];
};

/**
 * Looks at manifests, tags, branches, commits and changelogs, and writes a commented bevelstone.yaml whose survey finds the
 * repository's own last versions. On a terminal it asks what it cannot know. Never overwrites.
 * @throws CONFIG_EXISTS, MANIFESTS_DISAGREE, TAG_AMBIGUOUS and whatever else a survey refuses, before anything is written.
 */
export async function init(context: Context, options: InitOptions): Promise<Init> {
  const repository = await openContext(context);
  const file = path.join(repository.root, 'bevelstone.yaml');
  if (await exists(file)) throw alreadyThere(file);
  const guess = await guessLayout(context, repository);
  const asked = options.yes ? guess : await askPerson(context, guess);
  const text = writeLayout(asked);
  const config = parseConfig(text, 'bevelstone.yaml');
  // What contradicts itself is refused before anything is written.
  const { packages, tried } = await firstSurvey(context, { repository, text, guess: asked });
  const limits = asked.packages.flatMap(({ name, ecosystem, proposal: { notes } }) =>
    [...ecosystemDefinitions[ecosystem].limits, ...notes].map((note) => `${name}: ${note}`),
  );
  const answer = { file, config, text, packages, limits, tried };
  if (options.dryRun) return { ...answer, written: false, wrote: [] };
  await writeWhole(file, text);
  const ignored = await ignoreOutput(repository, config.output);
  await writeEditorSchema(context, repository);
  const wrote = [
    { file, what: 'the configuration' },
    ...(ignored === null ? [] : [{ file: ignored, what: `a line that keeps ${config.output}/ out of commits` }]),
  ];
  return { ...answer, written: true, wrote };
}

async function guessLayout(context: Context, repository: Repository): Promise<LayoutGuess> {
  const head = headFiles(repository, (await listFilesAt(repository.place, 'HEAD', '')).keys());
  const found = await findPackages(context, repository, head);
  const { packages, habit } = nameByTags(await tagsByAge(repository), found);
  return {
    packages: await proposeAll(packages, head),
    tags: habit,
    branches: guessBranches(await branchNames(repository), await currentBranch(repository.place)),
    changelog: findChangelog(head.files, packages),
    commits: guessPatterns(await lastSubjects(repository)),
    unmarked: 'patch',
    together: await sharedVersions(packages, head),
    destination: null,
  };
}

/** Asks the few things that a repository does not tell; without a terminal the guess stays. */
async function askPerson(context: Context, guess: LayoutGuess): Promise<LayoutGuess> {
  const { askText } = context;
  if (askText === null) return guess;
  const main = await askText('Which branch are stable releases made from?', guess.branches.main);
  const first =
    guess.tags?.patterns[0]?.[0]?.read ?? (guess.packages.length === 1 ? 'v{version}' : '{package}/{version}');
  const read = await askText('How are tags written?', first);
  const needsUnmarked = guess.commits !== null && guess.commits.marked < 0.8;
  const unmarked = needsUnmarked
    ? await askText('What do commits that do not say their kind raise: patch, none, or refuse?', guess.unmarked)
    : guess.unmarked;
  const url = await askText('Where do releases go? An address, or nothing to decide later', '');
  const variable = url === '' ? '' : await askText('Which environment variable holds the token? Nothing for none', '');
  const destination: ChosenDestination | null =
    url === '' ? null : { url, variable: variable === '' ? null : variable };
  const tags = read === first ? guess.tags : withFirst(guess, read);
  const choice = unmarked === 'none' || unmarked === 'refuse' ? unmarked : 'patch';
  return { ...guess, branches: { ...guess.branches, main }, tags, unmarked: choice, destination };
}

function withFirst({ tags, packages }: LayoutGuess, read: string): TagHabit {
  const pattern = { ...strictReading, read };
  const known = tags?.patterns ?? packages.map(() => []);
  const patterns = known.map((own, index) => {
    const found = packages[index];
    const first = (found === undefined ? null : patternOfClients(found)) ?? pattern;
    return [first, ...own.filter((other) => other.read !== first.read)];
  });
  return { last: new Map(), count: 0, unread: [], isShared: false, ...tags, patterns };
}

/** Packages by the names that their tags use: the manifest's full name, or the part behind its scope. */
function nameByTags(
  tags: readonly Tag[],
  found: readonly NamedPackage[],
): { readonly packages: readonly NamedPackage[]; readonly habit: TagHabit | null } {
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
  { repository, text, guess }: { readonly repository: Repository; readonly text: string; readonly guess: LayoutGuess },
): Promise<Pick<Init, 'packages' | 'tried'>> {
  const configFile = path.join(repository.commonFolder, 'bevelstone', 'init.yaml');
  await writeWhole(configFile, text);
  const habit = guess.tags;
  try {
    const survey = await surveyWorkspace({ ...context, configFile }, { ...plainSurvey, tags: true });
    const surveyed = survey.packages.map(({ name, last, next }) => ({ name, last: last?.version ?? null, next }));
    for (const pkg of surveyed) noteOtherBranch(context, pkg, habit);
    const [first] = guess.commits !== null && guess.commits.marked < 0.8 ? surveyed : [];
    const tags = (survey.tags?.read ?? []).filter((tag) => tag.package === first?.name);
    const tried = first === undefined ? [] : await tryLastReleases(context, { name: first.name, tags, configFile });
    return { packages: surveyed, tried };
  } catch (error) {
    if (!isBevelstoneError(error, 'VERSION_ELSEWHERE', 'STREAM_BEHIND', 'COMMIT_UNMARKED')) throw error;
    for (const { message, fix } of error.problems.length > 0 ? error.problems : [error])
      warn(context, `${message}\n${fix}`);
    const last = (pkg: FoundPackage) => habit?.last.get(pkg.name) ?? null;
    return { packages: guess.packages.map((pkg) => ({ name: pkg.name, last: last(pkg), next: null })), tried: [] };
  } finally {
    await removeFile(configFile);
  }
}

function noteOtherBranch(context: Context, { name, last }: Init['packages'][number], habit: TagHabit | null): void {
  const tagged = habit?.last.get(name) ?? null;
  if (tagged !== null && tagged !== last)
    warn(
      context,
      `${name}: ${tagged} is tagged on another branch; the last release of this branch is ${last ?? 'none'}`,
    );
}

async function branchNames({ place }: Repository): Promise<string[]> {
  const { text } = await git(place, ['for-each-ref', '--format=%(refname)', 'refs/heads', 'refs/remotes']);
  const names = text.split('\n').filter(Boolean);
  return [...new Set(names.map((ref) => ref.replace(/^refs\/(?:heads|remotes\/[^/]+)\//, '')))];
}

/** Names of changelogs, the usual one first. */
const changelogNames = /^(?:change(?:s|log)|history|news|release[-_]?notes)(?:\.(?:md|markdown|rst|txt))?$/i;

function findChangelog(files: ReadonlySet<string>, packages: readonly FoundPackage[]): string | null {
  const inside = ({ folder }: FoundPackage) =>
    [...files]
      .filter((file) => path.posix.dirname(file) === (folder === '' ? '.' : folder))
      .map((file) => path.posix.basename(file));
  const names = packages.flatMap(inside).filter((name) => changelogNames.test(name));
  if (names.includes('CHANGELOG.md')) return null;
  const debian = packages.some(({ folder }) => files.has(path.posix.join(folder, 'debian/changelog')));
  return names.toSorted((a, b) => rank(a) - rank(b))[0] ?? (debian ? 'debian/changelog' : null);
}

function rank(name: string): number {
  return ['changelog', 'changes', 'history', 'news', 'release'].findIndex((word) =>
    name.toLowerCase().startsWith(word),
  );
}

/** Subjects of the last 200 commits, newest first. */
async function lastSubjects({ place }: Repository): Promise<string[]> {
  const { text } = await git(place, ['log', '-200', '--no-merges', '-z', '--format=%s']);
  return text.split('\0').filter((subject) => subject.trim() !== '');
}

/** Keeps the output folder out of commits. @returns the file that got a line; null where it had one. */
export async function ignoreOutput({ root }: Repository, output: string): Promise<string | null> {
  const file = path.join(root, '.gitignore');
  const text = (await readTextIfThere(file)) ?? '';
  if (text.split('\n').some((line) => line.trim().replace(/^\/|\/$/g, '') === output)) return null;
  await writeWhole(file, `${text}${text === '' || text.endsWith('\n') ? '' : '\n'}${output}/\n`);
  return file;
}

function alreadyThere(file: string): BevelstoneError {
  return new BevelstoneError('CONFIG_EXISTS', {
    message: 'bevelstone.yaml already exists',
    why: 'init never overwrites files',
    fix: 'Edit it, then run: bevelstone config check',
    where: { file },
  });
}
