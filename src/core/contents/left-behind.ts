import type { FileRuleConfig } from '../config/config.ts';
import { globMatcher } from '../text/glob.ts';
import { compareBytes, type Origin } from './entry.ts';

/** A file of the package at its commit that is not in the artifact. */
export type LeftBehind = { readonly path: string; readonly reason: string };

/** What decided over the contents of an artifact. */
export type LeftBehindInput = {
  /** Paths at the commit inside the package's folder. */
  readonly tracked: readonly string[];
  /** Origins of the artifact's entries, paths from the repository's root. */
  readonly origins: readonly Origin[];
  /** Folder of the package in the repository, '' for the root. */
  readonly folder: string;
  /** Why the form leaves a file out where it chose by itself. */
  readonly formReason: string;
  /** Rules of the artifact; null when the form chose. */
  readonly rules: readonly FileRuleConfig[] | null;
};

/** Files tracked in the package and not in the artifact, each with the reason, in the order of reasons and paths. */
export function listLeftBehind(input: LeftBehindInput): LeftBehind[] {
  const { tracked, origins, folder, rules, formReason } = input;
  const prefix = folder === '' ? '' : `${folder}/`;
  const taken = new Set(origins.flatMap((origin) => (origin.type === 'source' ? [origin.path] : [])));
  const rebuilt = new Set(origins.flatMap((origin) => (origin.type === 'step' ? [origin.path] : [])));
  return tracked
    .filter((path) => !taken.has(prefix + path) && !rebuilt.has(prefix + path))
    .map((path) => ({ path, reason: rules === null ? formReason : reasonByRules(path, rules) }))
    .sort((a, b) => compareBytes(a.reason, b.reason) || compareBytes(a.path, b.path));
}

function reasonByRules(path: string, rules: readonly FileRuleConfig[]): string {
  for (const { from, only, except } of rules) {
    const base = from.replace(/^\.\//, '').replace(/\/+$/, '');
    const isUnder = base === '.' || base === '' || path === base || path.startsWith(`${base}/`);
    if (!isUnder) continue;
    const inside = base === '.' || base === '' || path === base ? path : path.slice(base.length + 1);
    const left = except.find((glob) => globMatcher([glob])(inside));
    if (left !== undefined) return `\`except: ${left}\` leaves it out`;
    if (only.length > 0 && !globMatcher(only)(inside)) return `\`only\` of \`from: ${from}\` does not match it`;
  }
  return 'no `files` rule takes it';
}
