import { readCargoLock } from './cargo-lock.ts';
import { readGoMod } from './go-mod.ts';
import { readNpmLock } from './npm-lock.ts';
import { readNugetLock } from './nuget-lock.ts';
import { readPnpmLock } from './pnpm-lock.ts';
import { readPomDependencies } from './pom-dependencies.ts';
import { readPylock } from './pylock.ts';
import type { DependencyReader } from './reading.ts';
import { readRequirements } from './requirements.ts';
import { readYarnLock } from './yarn-lock.ts';

type Format = {
  readonly name: RegExp;
  /** Name of the manifests whose needs it settles. */
  readonly settles: string;
  readonly read: DependencyReader;
};

const formats: readonly Format[] = [
  { name: /^(?:package-lock|npm-shrinkwrap)\.json$/, settles: 'package.json', read: readNpmLock },
  { name: /^pnpm-lock\.yaml$/, settles: 'package.json', read: readPnpmLock },
  { name: /^yarn\.lock$/, settles: 'package.json', read: readYarnLock },
  { name: /^pylock(?:\.[^.]+)?\.toml$/, settles: 'pyproject.toml', read: readPylock },
  { name: /^(?:[\w.-]*-)?requirements(?:[-.][\w.-]+)?\.txt$|^constraints\.txt$/, settles: '', read: readRequirements },
  { name: /^Cargo\.lock$/, settles: 'Cargo.toml', read: readCargoLock },
  { name: /^go\.mod$/, settles: 'go.mod', read: readGoMod },
  { name: /^pom\.xml$/, settles: 'pom.xml', read: readPomDependencies },
  { name: /^packages\.lock\.json$/, settles: '', read: readNugetLock },
];

/** What reads a file of this name; null for any other. */
export function formatOf(path: string): Format | null {
  return formats.find(({ name }) => name.test(baseName(path))) ?? null;
}

/** Whether a name is that of a lockfile that nothing here reads. */
export function isUnknownLockfile(path: string): boolean {
  const name = baseName(path);
  return (
    formatOf(path) === null &&
    /(?:^|[._-])lock(?:file)?(?:\.(?:json|ya?ml|toml|txt))?$|\.lockb$/i.test(name) &&
    !/^\./.test(name)
  );
}

function baseName(path: string): string {
  return path.slice(path.lastIndexOf('/') + 1);
}
