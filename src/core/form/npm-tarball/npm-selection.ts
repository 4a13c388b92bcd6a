import ignore from 'ignore';
import { type Candidate, plainMode, type Staged, sortStaged } from '../../contents/select.ts';
import { objectOf } from '../../manifest/fields.ts';
import type { PackageJson } from '../../manifest/package-json.ts';

// The npm client's documented behaviour for `files` in package.json: what is always in, what never.
const always = /^(?:package\.json|readme(?:\.[^/]*)?|licen[cs]e(?:\.[^/]*)?)$/i;
const never = [
  '.git',
  '.svn',
  '.hg',
  'CVS',
  '.DS_Store',
  '.npmrc',
  '.gitignore',
  '.npmignore',
  '.lock-wscript',
  '.wafpickle-*',
  '.*.swp',
  '._*',
  '*.orig',
  'npm-debug.log',
  'config.gypi',
  'node_modules',
  '/package-lock.json',
  '/pnpm-lock.yaml',
  '/yarn.lock',
];

/**
 * The files of a package without rules of its own: what the manifest's `files` lists and what always goes along;
 * without a list everything that `.npmignore`, else `.gitignore`, does not leave out.
 */
export function selectForNpm(files: readonly Candidate[], manifest: PackageJson, ignoreText: string | null): Staged[] {
  const listed = manifest['files'];
  const out = ignore().add(never);
  const isListed = Array.isArray(listed)
    ? byList(listed.filter((item) => typeof item === 'string'))
    : byIgnore(ignoreText);
  const named = new Set([...pathsOf(manifest['main']), ...pathsOf(manifest['bin'])]);
  const chosen = files.filter(
    ({ path }) => always.test(path) || named.has(path) || (isListed(path) && !out.ignores(path)),
  );
  const bins = new Set(pathsOf(manifest['bin']));
  return sortStaged(
    chosen.map((source) => ({ source, path: source.path, mode: bins.has(source.path) ? 0o755 : plainMode(source) })),
  );
}

/** `files` is the opposite of an ignore list, written in the same patterns; each entry is meant from the root. */
function byList(patterns: readonly string[]): (path: string) => boolean {
  const root = (pattern: string) => {
    const path = pattern.replace(/^\.?\//, '').replace(/\/\*\*$|\/$/, '');
    return path === '' || path === '.' ? '/**' : `/${path}`;
  };
  const isTakenOut = (pattern: string) => pattern.startsWith('!');
  const taken = ignore().add(patterns.filter((pattern) => !isTakenOut(pattern)).map(root));
  // Apart, since an ignore list never looks again inside a folder that it has matched.
  const takenOut = ignore().add(patterns.filter(isTakenOut).map((pattern) => root(pattern.slice(1))));
  return (path) => taken.ignores(path) && !takenOut.ignores(path);
}

function byIgnore(text: string | null): (path: string) => boolean {
  const left = ignore().add(text ?? '');
  return (path) => !left.ignores(path);
}

/** Paths in a field that is a text or an object of texts. */
function pathsOf(field: unknown): string[] {
  const values = typeof field === 'string' ? [field] : Object.values(objectOf(field));
  return values.filter((value) => typeof value === 'string').map((value) => value.replace(/^\.\//, ''));
}
