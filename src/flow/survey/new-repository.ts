import path from 'node:path';
import { parseConfig } from '../../core/config/parse-config.ts';
import { manifestFiles } from '../../core/ecosystem/definitions.ts';
import { writeLayout } from '../../core/ecosystem/guess-layout.ts';
import { newFiles } from '../../core/ecosystem/new-files.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Ecosystem } from '../../core/name/ecosystem.ts';
import { exists, listFolder, makeFolder, writeWhole } from '../../world/files.ts';
import { currentBranch } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import type { Context } from '../context.ts';
import { writeEditorSchema } from '../workspace/config.ts';
import { openContext } from '../workspace/workspace.ts';
import { headFiles, proposeAll } from './find-packages.ts';
import { type Init, ignoreOutput } from './init.ts';

/**
 * Writes the smallest complete repository of an ecosystem into one that has no manifest: manifest, source, readme, licence, first
 * test, bevelstone.yaml. Nothing is committed, and nothing that is there is changed.
 * @throws FILE_EXISTS when a file is there already, CONFIG_EXISTS.
 */
export async function newRepository(
  context: Context,
  { ecosystem, dryRun }: { readonly ecosystem: Ecosystem; readonly dryRun: boolean },
): Promise<Init> {
  const repository = await openContext(context);
  const { root, place } = repository;
  const name =
    path
      .basename(root)
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^[-0-9]+|-+$/g, '') || 'library';
  const { text: holder } = await git(place, ['config', '--get', 'user.name'], { allow: [1] });
  const files = newFiles(ecosystem, {
    name,
    holder: holder.trim() || `the authors of ${name}`,
    year: context.now().getFullYear(),
  });
  await refuseExisting(root, ['bevelstone.yaml', ...files.map(({ file }) => file)]);
  const texts = new Map(files.map(({ file, text }) => [file, text]));
  const head = { ...headFiles(repository, texts.keys()), read: async (file: string) => texts.get(file) ?? null };
  const listed = manifestFiles.filter((manifest) => manifest.ecosystem === ecosystem);
  const manifest =
    files.find(({ file }) => listed.some((own) => file.endsWith(own.file.replace('{package}', ''))))?.file ?? null;
  // Some manifests are called like their package.
  const isCalled = listed.some(
    (own) => own.file.startsWith('{package}.') && manifest?.endsWith(own.file.slice(9)) === true,
  );
  const named = isCalled && manifest !== null ? manifest.replace(/\.\w+$/, '') : name;
  const found = [{ name: named, fullName: named, folder: '', ecosystem, version: null, manifest }];
  const text = writeLayout({
    packages: await proposeAll(found, head),
    tags: null,
    branches: { main: (await currentBranch(place)) ?? 'main', lines: null, early: [] },
    changelog: null,
    commits: null,
    unmarked: 'none',
    together: [],
    destination: null,
  });
  const config = parseConfig(text, 'bevelstone.yaml');
  const answer = { file: path.join(root, 'bevelstone.yaml'), config, text, limits: [], tried: [] };
  const packages = [{ name: named, last: null, next: null }];
  if (dryRun) return { ...answer, packages, written: false, wrote: [] };
  const wrote: { file: string; what: string }[] = [];
  for (const { file, text: content } of [...files, { file: 'bevelstone.yaml', text }]) {
    await makeFolder(path.dirname(path.join(root, file)));
    await writeWhole(path.join(root, file), content);
    wrote.push({
      file: path.join(root, file),
      what: file === 'bevelstone.yaml' ? 'the configuration' : 'a first version',
    });
  }
  const ignored = await ignoreOutput(repository, config.output);
  await writeEditorSchema(context, repository);
  if (ignored !== null) wrote.push({ file: ignored, what: `a line that keeps ${config.output}/ out of commits` });
  return { ...answer, packages, written: true, wrote };
}

async function refuseExisting(root: string, files: readonly string[]): Promise<void> {
  const there: string[] = [];
  for (const file of files) if (await exists(path.join(root, file))) there.push(file);
  const manifests = new Set(manifestFiles.map(({ file }) => file));
  const names = (await listFolder(root)).map(({ name }) => name);
  const others = names.filter((name) => manifests.has(name) && !there.includes(name));
  const taken = [...there, ...others];
  if (taken.length === 0) return;
  throw new BevelstoneError('FILE_EXISTS', {
    message: `${taken.join(', ')} ${taken.length === 1 ? 'is' : 'are'} already there`,
    why: 'init --new writes a repository that has no manifest yet, and never overwrites',
    fix: 'Run: bevelstone init, which reads what is there, or remove these files',
    where: { file: taken[0] ?? '' },
  });
}
