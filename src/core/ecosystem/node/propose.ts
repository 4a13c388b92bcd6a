import { objectOf, textOf } from '../../manifest/fields.ts';
import { type PackageJson, parsePackageJson } from '../../manifest/package-json.ts';
import { foldersUp, inside } from '../../manifest/version-place/place.ts';
import { hasInside, type Proposal, type ProposalSearch, type Propose } from '../proposal.ts';

/**
 * Files that package.json promises and that are not committed come from its build script: `prepack`, `prepare` or `build`
 * (the npm client's documentation, "scripts").
 */
export const proposeNode: Propose = async (search) => {
  const json = parsePackageJson(search.manifestText, search.manifest);
  const missing = promised(json).filter((path) => !hasInside(search, path));
  const scripts = objectOf(json['scripts']);
  const script = ['build', 'prepack', 'prepare', 'compile', 'dist'].find((name) => textOf(scripts[name]) !== null);
  const notes: string[] = [];
  const build: Proposal['build'][number][] = [];
  if (missing.length > 0 && script !== undefined) {
    const install = installStep(search, json);
    if (install !== null) build.push({ run: install, why: 'what the build script needs' });
    build.push({ run: `npm run ${script}`, why: `makes ${missing.slice(0, 3).join(', ')}, which is not committed` });
  } else if (missing.length > 0)
    notes.push(
      `${missing.join(', ')}: named in package.json, neither committed nor made by a build script; add the step that makes it`,
    );
  return {
    tools: build.length > 0 ? ['node', 'npm'] : [],
    build,
    platforms: [],
    artifacts: ['form: npm-tarball'],
    notes,
  };
};

/** Paths that consumers are promised: entry points, programs, types, and folders of `files`. */
function promised(json: PackageJson): string[] {
  const entries = ['main', 'module', 'types', 'typings', 'browser'].flatMap((field) => textOf(json[field]) ?? []);
  const programs =
    typeof json['bin'] === 'string'
      ? [json['bin']]
      : Object.values(objectOf(json['bin'])).flatMap((item) => textOf(item) ?? []);
  const files = Array.isArray(json['files']) ? json['files'].flatMap((item) => textOf(item) ?? []) : [];
  const all = [...entries, ...programs, ...exported(json['exports']), ...files];
  const plain = all.map((path) => path.replace(/^\.\//, '').replace(/\/(?:\*\*?(?:\/.*)?)?$/, ''));
  return [...new Set(plain.filter((path) => path !== '' && path !== '.' && !/[*!?{]/.test(path)))];
}

function exported(value: unknown): string[] {
  if (typeof value === 'string') return value.startsWith('./') ? [value] : [];
  if (Array.isArray(value)) return value.flatMap(exported);
  return Object.values(objectOf(value)).flatMap(exported);
}

/** How the package's dependencies are installed from its lockfile; null when it has none to install. */
function installStep(search: ProposalSearch, json: PackageJson): string | null {
  const needs = ['dependencies', 'devDependencies', 'optionalDependencies'].some(
    (field) => Object.keys(objectOf(json[field])).length > 0,
  );
  for (const folder of foldersUp(search.folder)) {
    const has = (name: string) => search.files.has(inside(folder, name));
    if (has('package-lock.json') || has('npm-shrinkwrap.json')) return 'npm ci';
    if (has('pnpm-lock.yaml')) return 'pnpm install --frozen-lockfile';
    if (has('yarn.lock')) return 'yarn install --immutable || yarn install --frozen-lockfile';
  }
  return needs ? 'npm install --no-save' : null;
}
