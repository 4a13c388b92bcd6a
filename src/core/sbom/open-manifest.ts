import { joinPath, parentOf } from '../contents/inner-path.ts';

/** A file that names dependencies in a way that only its lockfile pins down. */
type OpenManifest = {
  readonly name: RegExp;
  /** What its text has when it names any. */
  readonly needs: RegExp;
  readonly lockfiles: readonly string[];
  readonly why: string;
};

const noLockfile = 'it has no lockfile beside it, and Bevelstone reads versions from lockfiles only';
const isProgram = 'it is a program, and only running it would tell what it needs';

const openManifests: readonly OpenManifest[] = [
  { name: /^Pipfile$/, needs: /^\s*\[(?:dev-)?packages\]/m, lockfiles: ['Pipfile.lock'], why: noLockfile },
  { name: /^Gemfile$/, needs: /^\s*(?:gem\b|gemspec\b)/m, lockfiles: ['Gemfile.lock'], why: noLockfile },
  { name: /^composer\.json$/, needs: /"require(?:-dev)?"/, lockfiles: ['composer.lock'], why: noLockfile },
  { name: /^conanfile\.txt$/, needs: /^\[\w*requires\]/m, lockfiles: ['conan.lock'], why: noLockfile },
  {
    name: /^build\.gradle(?:\.kts)?$/,
    needs: /\bdependencies\s*\{/,
    lockfiles: ['gradle.lockfile', '../gradle.lockfile'],
    why: isProgram,
  },
  {
    name: /^CMakeLists\.txt$/,
    needs: /\b(?:find_package|FetchContent_Declare|ExternalProject_Add|pkg_check_modules)\s*\(/i,
    lockfiles: ['conan.lock', 'vcpkg.json'],
    why: isProgram,
  },
  { name: /^meson\.build$/, needs: /\b(?:dependency|subproject)\s*\(/, lockfiles: ['conan.lock'], why: isProgram },
];

/** Why what a file needs cannot be known; null when it needs nothing, or when a lockfile beside it says what. */
export function openProblem(path: string, texts: ReadonlyMap<string, string>): string | null {
  const name = path.slice(path.lastIndexOf('/') + 1);
  const found = openManifests.find((manifest) => manifest.name.test(name));
  if (found === undefined || !found.needs.test(texts.get(path) ?? '')) return null;
  const folder = parentOf(path);
  return found.lockfiles.some((lockfile) => texts.has(joinPath(folder, lockfile))) ? null : found.why;
}
