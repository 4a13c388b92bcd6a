import { satisfies } from 'semver';
import { objectOf } from '../manifest/fields.ts';
import type { PackageJson } from '../manifest/package-json.ts';
import { entryTargets } from '../manifest/resolve-exports.ts';
import { joinPath } from './inner-path.ts';

/** Whether a file is inside, by its path without `./`. */
type Has = (path: string) => boolean;

/** In which way a type checker looks for a package: as an ES module's import, or as a call of `require`. */
export type TypesMode = 'import' | 'require';

/**
 * The declaration file that the TypeScript compiler takes for an entry (TypeScript handbook, "Modules - Reference"); null for none.
 * It goes on to the next condition where there is no declaration for a target, as Node.js does not.
 */
export function typesFor(
  entry: string,
  {
    manifest,
    has,
    mode,
    also = ['node'],
  }: {
    readonly manifest: PackageJson;
    readonly has: Has;
    readonly mode: TypesMode;
    /** Further conditions that hold. */
    readonly also?: readonly string[];
  },
): string | null {
  if (manifest['exports'] !== undefined && manifest['exports'] !== null) {
    const targets = entryTargets(entry, manifest, new Set(['types', mode, ...also]));
    return firstOf(targets.map((target) => declarationFor(target.slice(2), has)));
  }
  const fields = entry === '.' ? ['types', 'typings', 'main'].map((field) => manifest[field]) : [entry];
  const named = fields.filter((value) => typeof value === 'string' && value !== '') as string[];
  const paths = [...named.map((path) => joinPath('', path)), ...(entry === '.' ? ['index'] : [])];
  return firstOf(paths.flatMap((path) => [...byVersion(path, manifest), path]).map((path) => completed(path, has)));
}

function firstOf(found: readonly (string | null)[]): string | null {
  return found.find((path) => path !== null) ?? null;
}

/** The declarations that stand for one file: itself, or those beside it ("File extension substitution"). */
export function declarationFor(path: string, has: Has): string | null {
  if (/\.[cm]?tsx?$/.test(path)) return has(path) ? path : null;
  const [, plain = path, ending = ''] = /^(.*)\.([^./]+)$/.exec(path) ?? [];
  const kind = /^([cm]?)jsx?$/.exec(ending)?.[1];
  const others =
    kind === undefined
      ? [`${plain}.d.${ending}.ts`]
      : kind === ''
        ? ['.ts', '.tsx', '.d.ts'].map((end) => plain + end)
        : [`${plain}.${kind}ts`, `${plain}.d.${kind}ts`];
  return others.find(has) ?? null;
}

/** The same for a path that may lack its ending or name a folder, where there is no `exports`. */
function completed(path: string, has: Has): string | null {
  const clean = path.replace(/\/+$/, '');
  const inside = clean === '' || clean === '.' ? '' : `${clean}/`;
  const exact = clean === path ? declarationFor(clean, has) : null;
  return (
    exact ??
    ['.ts', '.tsx', '.d.ts'].map((end) => clean + end).find(has) ??
    [`${inside}index.ts`, `${inside}index.tsx`, `${inside}index.d.ts`].find(has) ??
    null
  );
}

/** The compiler that declarations are looked for with. */
const compiler = '5.9.0';

/** Where `typesVersions` leads a path: to other folders for some versions of the compiler. */
function byVersion(path: string, manifest: PackageJson): string[] {
  const versions = Object.entries(objectOf(manifest['typesVersions']));
  const [, found] = versions.find(([range]) => satisfies(compiler, range, { includePrerelease: true })) ?? [];
  return [found].flatMap((paths) =>
    Object.entries(objectOf(paths)).flatMap(([pattern, targets]) => {
      const [before = '', after] = pattern.split('*');
      const isMatch = after === undefined ? path === pattern : path.startsWith(before) && path.endsWith(after);
      if (!isMatch || !Array.isArray(targets)) return [];
      const middle = after === undefined ? '' : path.slice(before.length, path.length - after.length);
      return targets
        .filter((target) => typeof target === 'string')
        .map((target) =>
          joinPath(
            '',
            target.replace('*', () => middle),
          ),
        );
    }),
  );
}
