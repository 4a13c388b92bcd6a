import { insidePaths } from '../../form/artifact.ts';
import { isPublicTarget } from '../../manifest/conditions.ts';
import { objectOf } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const entryPointMissing: Rule = {
  id: 'node/entry-point-missing',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Every entry point in the manifest is included',
  why: 'The package installs without an error but fails at the first import',
  fix: 'Create the file in a build step and include it with the manifest or a `files` rule, or correct the manifest',
  example: '"browser": "./dist/browser.js" and no such file',
  check: (artifact) => {
    if (artifact.manifest === null) return [];
    const paths = new Set(insidePaths(artifact));
    return entryPoints(artifact.manifest.json).flatMap(({ field, target, isFallback }): RawFinding[] => {
      if (isThere(target, field, paths) || isReplacementOfNothing(field, paths)) return [];
      // A pattern that matches nothing yet breaks nothing.
      const isPattern = target.includes('*');
      const message = `\`${field}\` names it, and ${isPattern ? 'nothing inside is called so' : 'it is not inside'}`;
      const [top = '', ...keys] = field.split(' > ');
      // A condition of the developers' own leads to their sources, which only they ask for.
      if (!isPublicTarget(keys, top)) return [{ path: target, message, severity: 'note' }];
      return [{ path: target, message, ...(isFallback || isPattern ? { severity: 'warn' as const } : {}) }];
    });
  },
};

type EntryPoint = { readonly field: string; readonly target: string; readonly isFallback: boolean };

/** Every path that the fields of a package.json name, with the field it stands in. */
function entryPoints(json: Readonly<Record<string, unknown>>): EntryPoint[] {
  const plain = ['main', 'module', 'browser', 'types', 'typings', 'bin', 'exports', 'imports'];
  // What stands beside `exports` is read by old clients only, and types in `imports` by the package's own compiler.
  const isFallback = json['exports'] !== undefined && json['exports'] !== null;
  return plain.flatMap((field) =>
    targetsIn(json[field], field).map((item) => ({
      ...item,
      isFallback:
        (isFallback && /^(?:main|module|types|typings)$/.test(field)) ||
        (item.field.startsWith('imports > ') && /\.[cm]?tsx?$/.test(item.target)),
    })),
  );
}

/** Texts inside nested conditions; in `browser` and `imports` a name of another package is not a path. */
function targetsIn(value: unknown, field: string): { field: string; target: string }[] {
  if (typeof value === 'string') return isOwnPath(value, field) ? [{ field, target: value.replace(/^\.?\//, '') }] : [];
  if (Array.isArray(value)) return value.flatMap((item) => targetsIn(item, field));
  return Object.entries(objectOf(value)).flatMap(([key, value]) => targetsIn(value, `${field} > ${key}`));
}

/** A file that is not inside is not replaced, so its replacement is not needed. */
function isReplacementOfNothing(field: string, paths: ReadonlySet<string>): boolean {
  const replaced = /^browser > (?:\.\/)(.+)$/.exec(field)?.[1];
  return replaced !== undefined && !paths.has(replaced);
}

function isOwnPath(target: string, field: string): boolean {
  if (target === '') return false;
  return target.startsWith('./') || /^(?:main|module|types|typings|bin|browser$)/.test(field);
}

function isThere(target: string, field: string, paths: ReadonlySet<string>): boolean {
  if (target.includes('*')) {
    const [before = '', after = ''] = target.split('*');
    return [...paths].some((path) => path.startsWith(before) && path.endsWith(after));
  }
  if (paths.has(target)) return true;
  const endings = endingsFor(field);
  if (target === '' && /^(?:exports|imports)/.test(field)) return true;
  if (target === '' || target === '.') return endings.some((end) => paths.has(end.replace(/^\//, '')));
  if (/\/$/.test(target) && /^(?:exports|imports)/.test(field))
    return [...paths].some((path) => path.startsWith(target));
  return endings.some((end) => paths.has(`${target.replace(/\/$/, '')}${end}`));
}

/** What is added to a path that is not a file: in `exports`, `imports` and `bin` nothing is (Node.js, "Folders as modules"). */
function endingsFor(field: string): string[] {
  if (/^(?:types|typings)/.test(field)) return ['.d.ts', '/index.d.ts', '.ts', '/index.ts'];
  if (/^(?:main|module|browser)/.test(field))
    return ['.js', '.json', '.node', '/index.js', '/index.json', '/index.node', '.mjs', '.cjs'];
  return [];
}
