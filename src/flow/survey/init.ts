import path from 'node:path';
import type { Config } from '../../core/config/config.ts';
import { parseConfig } from '../../core/config/parse-config.ts';
import { ecosystemDefinitions, manifestFiles } from '../../core/ecosystem/definitions.ts';
import { type FoundPackage, guessBranches, guessTags, writeLayout } from '../../core/ecosystem/guess-layout.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { parseMessage } from '../../core/history/message-grammar.ts';
import { exists, readTextIfThere, writeWhole } from '../../world/files.ts';
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
  const packages = await findPackages(context, repository, files);
  if (packages.length === 0) throw noManifest();
  const { tags } = await readTags(repository.place);
  const habit = guessTags(tags, packages);
  const text = writeLayout({
    packages,
    tags: habit,
    branches: guessBranches(await branchNames(repository), await currentBranch(repository.place)),
    changelog: findChangelog(files, packages),
    marked: await markedShare(repository),
  });
  const config = parseConfig(text, 'bevelstone.yaml');
  if (dryRun) return { file, written: false, config, text, packages: lastOnly(packages, habit?.last ?? new Map()) };
  await writeWhole(file, text);
  await ignoreOutput(repository, config.output);
  await writeEditorSchema(context, repository);
  const survey = await surveyWorkspace({ ...context, configFile: null }, plainSurvey);
  const surveyed = survey.packages.map(({ name, last, next }) => ({ name, last: last?.version ?? null, next }));
  for (const { name, last } of surveyed) {
    const tagged = habit?.last.get(name) ?? null;
    if (tagged !== null && tagged !== last)
      warn(
        context,
        `${name}: ${tagged} is tagged on another branch; the last release of this branch is ${last ?? 'none'}`,
      );
  }
  return { file, written: true, config, text, packages: surveyed };
}

/** Folders that hold what others made, or samples. */
const passedOver =
  /(?:^|\/)(?:node_modules|vendor|third[-_]party|test|tests|fixtures?|examples?|samples?|demo|dist|build|target)\//;

async function findPackages(
  context: Context,
  repository: Repository,
  files: readonly string[],
): Promise<FoundPackage[]> {
  const candidates = files.filter((file) => file.split('/').length <= 4 && !passedOver.test(file));
  const found = new Map<string, FoundPackage>();
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
        const plain = (called ?? path.posix.basename(folder || repository.root))
          .replace(/^@[^/]+\//, '')
          .split(':')
          .at(-1);
        found.set(folder, { name: plain ?? '', folder, ecosystem });
      } catch (error) {
        warn(context, `${manifest} cannot be read and was skipped: ${(error as Error).message}`);
      }
    }
  }
  return distinct([...found.values()].sort((a, b) => (a.folder < b.folder ? -1 : 1)));
}

/** Two ecosystems may have a package of the same name; the later one is named by its folder. */
function distinct(packages: readonly FoundPackage[]): FoundPackage[] {
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

/** How many of the last commits say what kind they are. */
async function markedShare({ place }: Repository): Promise<number | null> {
  const { text } = await git(place, ['log', '-200', '--no-merges', '-z', '--format=%B']);
  const messages = text.split('\0').filter((message) => message.trim() !== '');
  if (messages.length === 0) return null;
  return messages.filter((message) => parseMessage(message).header !== null).length / messages.length;
}

async function ignoreOutput({ root }: Repository, output: string): Promise<void> {
  const file = path.join(root, '.gitignore');
  const text = (await readTextIfThere(file)) ?? '';
  if (text.split('\n').some((line) => line.replace(/^\/|\/$/g, '') === output)) return;
  await writeWhole(file, `${text}${text === '' || text.endsWith('\n') ? '' : '\n'}${output}/\n`);
}

function lastOnly(packages: readonly FoundPackage[], last: ReadonlyMap<string, string>): Init['packages'] {
  return packages.map(({ name }) => ({ name, last: last.get(name) ?? null, next: null }));
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
