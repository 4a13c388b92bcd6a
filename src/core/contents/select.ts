import type { FileRuleConfig } from '../config/config.ts';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import { globMatcher } from '../text/glob.ts';
import { compareBytes } from './entry.ts';
import { linkLeaves } from './safe-path.ts';

/** A file of the package's folder after its build steps; paths inside that folder. */
export type Candidate = {
  readonly path: string;
  readonly sizeBytes: number;
  readonly isExecutable: boolean;
  /** Target of a symbolic link, null for a plain file. */
  readonly linkname: string | null;
};

/** What stands before the paths of files in the folder that build steps know as `{out}`. */
export const outPrefix = '{out}/';

/** A file chosen for an artifact: where it is, and where it goes. */
export type Staged = { readonly source: Candidate; readonly path: string; readonly mode: number };

/** Permission bits of a file that no rule says more about. */
export function plainMode({ isExecutable }: Candidate): number {
  return isExecutable ? 0o755 : 0o644;
}

/**
 * Applies `files` rules to the files of a package, recursively. The result is sorted by the bytes of its paths.
 * @throws CONTENTS_NO_MATCH for a rule without a file, CONTENTS_COLLISION for two that write one path,
 * CONTENTS_UNSAFE for a link that leaves the package.
 */
export function selectByRules(
  files: readonly Candidate[],
  rules: readonly FileRuleConfig[],
  packageName: string,
): Staged[] {
  const staged = new Map<string, { file: Staged; rule: number }>();
  for (const [index, rule] of rules.entries()) {
    const chosen = chooseByRule(files, rule);
    if (chosen.length === 0) throw noMatch(rule, packageName);
    if (rule.as !== null && chosen.length > 1) throw severalAs(rule, chosen, packageName);
    for (const file of chosen) {
      const taken = staged.get(file.path);
      if (taken !== undefined && taken.file.source.path !== file.source.path)
        throw collision(file, taken.file, packageName);
      staged.set(file.path, { file, rule: index });
    }
  }
  return sortStaged([...staged.values()].map(({ file }) => file));
}

/** Sorts by the bytes of the path, and refuses links that leave. @throws CONTENTS_UNSAFE */
export function sortStaged(staged: readonly Staged[]): Staged[] {
  for (const { source, path } of staged) {
    if (source.linkname !== null && linkLeaves(path, source.linkname, false))
      throw leaving(source.path, source.linkname);
  }
  return [...staged].sort((a, b) => compareBytes(a.path, b.path));
}

function chooseByRule(files: readonly Candidate[], rule: FileRuleConfig): Staged[] {
  const from = rule.from.replace(/^\.\//, '').replace(/\/+$/, '');
  const isGlob = /[*?[{]/.test(from.replace(outPrefix, '').replace('{out}', ''));
  const matchesFrom = isGlob ? globMatcher([from.replace('{out}', '\\{out\\}')]) : null;
  const only = rule.only.length === 0 ? null : globMatcher(rule.only);
  const except = rule.except.length === 0 ? null : globMatcher(rule.except);
  const base = isGlob ? fixedPart(from) : from;
  return files.flatMap((source) => {
    const isFile = source.path === from;
    const isAll = (from === '.' || from === '') && !source.path.startsWith(outPrefix);
    const isUnder = isAll || source.path.startsWith(`${from}/`);
    if (matchesFrom === null ? !isFile && !isUnder : !matchesFrom(source.path)) return [];
    const inside = isFile ? (source.path.split('/').at(-1) ?? '') : relativeTo(base, source.path);
    if ((only !== null && !only(inside)) || except?.(inside) === true) return [];
    const path = placeOf(source.path, inside, rule);
    return [{ source, path, mode: rule.mode === null ? plainMode(source) : Number.parseInt(rule.mode, 8) }];
  });
}

/** Without `to` a file keeps its path, one of the steps' own folder its path in there; with `to` it goes below that. */
function placeOf(path: string, inside: string, { to, as }: FileRuleConfig): string {
  if (as !== null) return as.replace(/^\.\//, '');
  if (to === null) return path.startsWith(outPrefix) ? path.slice(outPrefix.length) : path;
  const folder = to.replace(/^\.\//, '').replace(/\/+$/, '');
  return folder === '' || folder === '.' ? inside : `${folder}/${inside}`;
}

/** The folders of a glob before the first one with a wildcard. */
function fixedPart(glob: string): string {
  const parts = glob.split('/');
  const first = parts.findIndex((part) => part !== '{out}' && /[*?[{]/.test(part));
  return parts.slice(0, first).join('/');
}

function relativeTo(base: string, path: string): string {
  return base === '' || base === '.' ? path : path.slice(base.length + 1);
}

function noMatch({ from, only }: FileRuleConfig, packageName: string): BevelstoneError {
  const limited = only.length === 0 ? '' : ` with only ${only.join(', ')}`;
  return new BevelstoneError('CONTENTS_NO_MATCH', {
    message: `the \`files\` rule \`from: ${from}\`${limited} of ${packageName} matches no file`,
    why: 'neither the checkout nor what the build steps made has such a file',
    fix: 'Correct the rule, or let a build step make the file',
    where: { file: 'bevelstone.yaml' },
  });
}

function severalAs({ from, as }: FileRuleConfig, chosen: readonly Staged[], packageName: string): BevelstoneError {
  return new BevelstoneError('CONTENTS_COLLISION', {
    message: `the \`files\` rule \`from: ${from}\` of ${packageName} gives ${as} to ${chosen.length} files`,
    why: `it matches ${chosen[0]?.source.path}, ${chosen[1]?.source.path} and \`as\` names one path`,
    fix: 'Name one file in `from`, or write `to` for a folder',
    where: { file: 'bevelstone.yaml' },
  });
}

function collision(file: Staged, other: Staged, packageName: string): BevelstoneError {
  return new BevelstoneError('CONTENTS_COLLISION', {
    message: `two \`files\` rules of ${packageName} write ${file.path}`,
    why: `one takes ${other.source.path}, the other ${file.source.path}`,
    fix: 'Leave one of them out with `except`, or give it another place with `to`',
    where: { file: 'bevelstone.yaml' },
  });
}

function leaving(path: string, target: string): BevelstoneError {
  return new BevelstoneError('CONTENTS_UNSAFE', {
    message: `${path} is a link that leaves the package`,
    why: `it points to ${target}`,
    fix: 'Ship a copy of the file instead, or leave the link out',
  });
}
