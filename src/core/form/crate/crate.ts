import ignore from 'ignore';
import { stringify } from 'smol-toml';
import { compareBytes } from '../../contents/entry.ts';
import { type Candidate, plainMode, sortStaged } from '../../contents/select.ts';
import { BevelstoneError } from '../../error/bevelstone-error.ts';
import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import { parseToml } from '../../manifest/toml.ts';
import type { FormInput, Layout } from '../layout.ts';
import { type PlannedEntry, plannedFile, plannedText } from '../plan.ts';
import { lockfileFor } from './lockfile.ts';
import { type CrateSource, type NormalisedCrate, normaliseCrate, placeInside } from './normalise.ts';

const manifestName = 'Cargo.toml';
/** Files that are always written anew, or never taken ("cargo package"). */
const reserved: ReadonlySet<string> = new Set([manifestName, 'Cargo.toml.orig', '.cargo_vcs_info.json', 'Cargo.lock']);

/**
 * A crate (The Cargo Book, "cargo package"): what `include` or `exclude` leave of the package's files, a manifest that needs no
 * workspace, the original one, the commit, and a lockfile where there is a program.
 */
export const crate: Layout = {
  select: async (input) => {
    const { files, tracked, read } = input;
    const document = parseToml((await read(manifestName)) ?? '', manifestName);
    const { include, exclude } = objectOf((await normalised(input, document)).manifest['package']);
    const nested = foldersWithManifest(files);
    const isChosen = chosenBy(include, exclude);
    const own = files.filter(
      ({ path }) =>
        !reserved.has(path) &&
        !path.startsWith('{out}/') &&
        !/^(?:target|\.git)\//.test(path) &&
        !nested.some((folder) => path.startsWith(folder)) &&
        // What steps made goes along only where the manifest asks for it.
        (tracked.has(path) || Array.isArray(include)) &&
        isChosen(path),
    );
    return sortStaged(own.map((source) => ({ source, path: source.path, mode: plainMode(source) })));
  },
  plan: async (input, staged) => {
    const text = (await input.read(manifestName)) ?? '';
    const document = parseToml(text, manifestName);
    const result = await normalised(input, document);
    refuse(input, result);
    const name = textOf(objectOf(result.manifest['package'])['name']) ?? input.packageName;
    const stem = `${name}-${input.version}`;
    const there = new Set(staged.map(({ path }) => path));
    const written: PlannedEntry[] = [
      plannedText(`${stem}/${manifestName}`, manifestText(result.manifest, input.version)),
      plannedText(`${stem}/Cargo.toml.orig`, text),
      plannedText(`${stem}/.cargo_vcs_info.json`, commitInfo(input)),
      ...(await fromAbove(input, result, there)).map(([path, text]) => plannedText(`${stem}/${path}`, text)),
      ...(await lockfile(input, { name, manifest: result.manifest, there })).map((text) =>
        plannedText(`${stem}/Cargo.lock`, text),
      ),
    ];
    const entries = [...staged.map((staged) => plannedFile(staged, `${stem}/`)), ...written];
    return {
      fileName: `${stem}.crate`,
      container: 'tar.gz',
      entries: entries.sort((a, b) => compareBytes(a.path, b.path)),
      comment: null,
      metadata: '',
    };
  },
};

/** `include` says all that goes in; without it `exclude` leaves out ("The `exclude` and `include` fields", patterns of gitignore). */
function chosenBy(include: unknown, exclude: unknown): (path: string) => boolean {
  const patterns = (value: unknown) => (Array.isArray(value) ? value.filter((item) => typeof item === 'string') : []);
  if (Array.isArray(include)) {
    const taken = ignore().add(patterns(include));
    return (path) => taken.ignores(path);
  }
  const left = ignore().add(patterns(exclude));
  return (path) => !left.ignores(path);
}

/** Folders of other packages inside this one, with `/` behind. */
function foldersWithManifest(files: readonly Candidate[]): string[] {
  return files
    .filter(({ path }) => path.endsWith(`/${manifestName}`))
    .map(({ path }) => path.slice(0, -manifestName.length));
}

/** Where the workspace of a package is: above it, or the package itself ("The `workspace` section"). */
async function normalised(input: FormInput, document: Readonly<Record<string, unknown>>): Promise<NormalisedCrate> {
  const files = new Set(input.files.map(({ path }) => path));
  const source: CrateSource = {
    manifest: document,
    ...(await workspaceAround(input, document)),
    registries: await registriesOf(input),
  };
  return normaliseCrate(source, files);
}

async function workspaceAround(
  { folder, readAbove }: FormInput,
  document: Readonly<Record<string, unknown>>,
): Promise<Pick<CrateSource, 'workspace' | 'upToWorkspace'>> {
  if (document['workspace'] !== undefined) return { workspace: document, upToWorkspace: '' };
  const parts = folder === '' ? [] : folder.split('/');
  for (let up = 1; up <= parts.length; up++) {
    const above = parts.slice(0, parts.length - up).join('/');
    const text = await readAbove(above === '' ? manifestName : `${above}/${manifestName}`);
    const found = text === null ? null : parseToml(text, manifestName);
    if (found?.['workspace'] !== undefined)
      return { workspace: found, upToWorkspace: Array.from({ length: up }, () => '..').join('/') };
  }
  return { workspace: null, upToWorkspace: '' };
}

/** Indexes of registries in `.cargo/config.toml` of the package's folder or one above ("Configuration", `registries`). */
async function registriesOf({ folder, readAbove }: FormInput): Promise<Record<string, string>> {
  const parts = folder === '' ? [] : folder.split('/');
  const found: Record<string, string> = {};
  for (let length = 0; length <= parts.length; length++) {
    const file = [...parts.slice(0, length), '.cargo', 'config.toml'].join('/');
    const text = await readAbove(file);
    const registries = text === null ? {} : objectOf(parseToml(text, file)['registries']);
    for (const [name, value] of Object.entries(registries)) {
      const index = textOf(objectOf(value)['index']);
      if (index !== null) found[name] = index;
    }
  }
  return found;
}

function refuse({ packageName }: FormInput, { unresolvable, missing }: NormalisedCrate): void {
  const [first] = unresolvable;
  if (first !== undefined)
    throw new BevelstoneError('CRATE_NEEDS', {
      message: `users of ${packageName} could not get ${unresolvable.map(({ name }) => name).join(', ')}`,
      why: `${first.name}: ${first.why}`,
      fix: first.fix,
      where: { file: manifestName },
    });
  if (missing.length === 0) return;
  throw new BevelstoneError('CRATE_NEEDS', {
    message: `${packageName} takes ${missing.join(', ')} from its workspace`,
    why: 'there is no workspace above it that has it',
    fix: 'Write it into the package, or into [workspace.package] or [workspace.dependencies] of the workspace',
    where: { file: manifestName },
  });
}

const head = `# This manifest was written for the crate: it needs no workspace and no folder beside it.
# Cargo.toml.orig is the one in the repository.

`;

function manifestText(manifest: Readonly<Record<string, unknown>>, version: string): string {
  const { package: own, ...tables } = manifest;
  return `${head}${stringify({ package: { ...objectOf(own), version }, ...tables })}\n`;
}

/** Which commit it was made of, and where in it, as other programs for crates write it. */
function commitInfo({ commit, folder }: FormInput): string {
  return `${JSON.stringify({ git: { sha1: commit }, path_in_vcs: folder }, null, 2)}\n`;
}

/** Readme and licence file that lie in a folder above the package's. */
async function fromAbove(
  { folder, readAbove, packageName }: FormInput,
  { readme, licenceFile }: NormalisedCrate,
  there: ReadonlySet<string>,
): Promise<[string, string][]> {
  const found: [string, string][] = [];
  for (const path of [readme, licenceFile]) {
    if (path === null || there.has(placeInside(path))) continue;
    const text = await readAbove(joined(folder, path));
    if (text === null)
      throw new BevelstoneError('CONTENTS_NO_MATCH', {
        message: `${path} of ${packageName} is missing`,
        why: `${manifestName} names it, and there is no such file at the commit`,
        fix: 'Commit the file, or correct `readme` and `license-file` in Cargo.toml',
        where: { file: manifestName },
      });
    found.push([placeInside(path), text]);
  }
  return found;
}

/** A path from a folder of the repository, `..` resolved. */
function joined(folder: string, path: string): string {
  const parts = folder === '' ? [] : folder.split('/');
  for (const part of path.split('/')) {
    if (part === '..') parts.pop();
    else if (part !== '.' && part !== '') parts.push(part);
  }
  return parts.join('/');
}

/** A crate with a program brings the versions that it was tried with. */
async function lockfile(
  { folder, version, readAbove }: FormInput,
  {
    name,
    manifest,
    there,
  }: {
    readonly name: string;
    readonly manifest: Readonly<Record<string, unknown>>;
    readonly there: ReadonlySet<string>;
  },
): Promise<string[]> {
  if (!hasProgram(manifest, there)) return [];
  const parts = folder === '' ? [] : folder.split('/');
  for (let length = parts.length; length >= 0; length--) {
    const file = [...parts.slice(0, length), 'Cargo.lock'].join('/');
    const text = await readAbove(file);
    if (text === null) continue;
    const found = lockfileFor(parseToml(text, file), { name, version });
    return found === null ? [] : [found];
  }
  return [];
}

/** A program by the manifest, or by where its source lies ("Package Layout"). */
export function hasProgram(manifest: Readonly<Record<string, unknown>>, there: ReadonlySet<string>): boolean {
  if (objectsOf(manifest['bin']).length > 0 || there.has('src/main.rs')) return true;
  return [...there].some((path) => /^src\/bin\/(?:[^/]+\.rs|[^/]+\/main\.rs)$/.test(path));
}
