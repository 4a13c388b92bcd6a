import { readBunLock } from './bun-lock.ts';
import { readCargoLock } from './cargo-lock.ts';
import { readComposerLock } from './composer-lock.ts';
import { readConanLock } from './conan-lock.ts';
import { readDotnetProject } from './dotnet-project.ts';
import { readGemfileLock } from './gemfile-lock.ts';
import { readGoMod } from './go-mod.ts';
import { readGradleCatalogue, readGradleLock } from './gradle-lock.ts';
import { readNpmLock } from './npm-lock.ts';
import { readNugetLock } from './nuget-lock.ts';
import { readPipfileLock } from './pipfile-lock.ts';
import { readPnpmLock } from './pnpm-lock.ts';
import { readPoetryLock } from './poetry-lock.ts';
import { readPomDependencies } from './pom-dependencies.ts';
import { readPylock } from './pylock.ts';
import type { DependencyReader } from './reading.ts';
import { readRequirements } from './requirements.ts';
import { readUvLock } from './uv-lock.ts';
import { readVcpkgManifest } from './vcpkg-manifest.ts';
import { readYarnLock } from './yarn-lock.ts';

type Format = {
  readonly name: RegExp;
  /** Names of the manifests whose needs it settles. */
  readonly settles: RegExp | null;
  readonly read: DependencyReader;
};

const python = /^pyproject\.toml$/;
const node = /^package\.json$/;
const dotnet = /\.(?:cs|fs|vb)proj$/;

const formats: readonly Format[] = [
  { name: /^(?:package-lock|npm-shrinkwrap)\.json$/, settles: node, read: readNpmLock },
  { name: /^pnpm-lock\.yaml$/, settles: node, read: readPnpmLock },
  { name: /^yarn\.lock$/, settles: node, read: readYarnLock },
  { name: /^bun\.lock$/, settles: node, read: readBunLock },
  { name: /^pylock(?:\.[^.]+)?\.toml$/, settles: python, read: readPylock },
  { name: /^poetry\.lock$/, settles: python, read: readPoetryLock },
  { name: /^uv\.lock$/, settles: python, read: readUvLock },
  { name: /^Pipfile\.lock$/, settles: null, read: readPipfileLock },
  {
    name: /^(?:[\w.-]*-)?requirements(?:[-.][\w.-]+)?\.txt$|^constraints\.txt$|(?:^|\/)requirements\/[^/]+\.txt$/,
    settles: null,
    read: readRequirements,
  },
  { name: /^Cargo\.lock$/, settles: /^Cargo\.toml$/, read: readCargoLock },
  { name: /^go\.mod$/, settles: /^go\.mod$/, read: readGoMod },
  { name: /^(?:buildscript-)?gradle\.lockfile$/, settles: /^pom\.xml$/, read: readGradleLock },
  { name: /\.versions\.toml$/, settles: null, read: readGradleCatalogue },
  { name: /^pom\.xml$/, settles: /^pom\.xml$/, read: readPomDependencies },
  { name: /^packages\.lock\.json$/, settles: dotnet, read: readNugetLock },
  { name: dotnet, settles: dotnet, read: readDotnetProject },
  { name: /^Gemfile\.lock$|^gems\.locked$/, settles: null, read: readGemfileLock },
  { name: /^composer\.lock$/, settles: null, read: readComposerLock },
  { name: /^conan\.lock$/, settles: null, read: readConanLock },
  { name: /^vcpkg\.json$/, settles: null, read: readVcpkgManifest },
];

/** Files that readers look up beside their own. */
const companions =
  /^(?:go\.sum|Gemfile|Pipfile|composer\.json|conanfile\.txt|Directory\.Packages\.props|[\w.-]*requirements[\w.-]*\.in)$/;

// One question instead of one for each format: it is asked for every file of a tree.
const anyFormat = new RegExp(formats.map(({ name }) => name.source).join('|'));

/** What reads a file of this name; null for any other. */
export function formatOf(path: string): Format | null {
  const file = baseName(path);
  if (!anyFormat.test(file) && (file === path || !anyFormat.test(path))) return null;
  return formats.find(({ name }) => name.test(file) || name.test(path)) ?? null;
}

/** Whether a file is looked up beside a lockfile. */
export function isCompanion(path: string): boolean {
  return companions.test(baseName(path));
}

/** Whether a name is that of a lockfile that nothing here reads. */
export function isUnknownLockfile(path: string): boolean {
  const name = baseName(path);
  return (
    /(?:^|[._-])lock(?:file)?(?:\.(?:json|ya?ml|toml|txt))?$|\.lockb$/i.test(name) &&
    !name.startsWith('.') &&
    formatOf(path) === null
  );
}

function baseName(path: string): string {
  return path.slice(path.lastIndexOf('/') + 1);
}
