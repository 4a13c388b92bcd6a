import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const nameLookalike: Rule = {
  id: 'metadata/name-lookalike',
  forms: allForms,
  severity: 'warn',
  what: "The name and its dependencies' names are not almost the name of another package in the workspace",
  why: "A one-letter mistake installs a stranger's package, and attackers register such names",
  fix: 'Correct the name, or turn this rule off if both names are intended',
  example: 'a dependency on tide-mark in a workspace that makes tidemark',
  check: ({ manifest }, { others, release }) => {
    if (manifest === null) return [];
    const own = release?.name ?? manifest.common.name;
    const names = new Set([...others, ...(own === null ? [] : [own])]);
    const dependencies = manifest.common.dependencies.filter(({ kind }) => kind !== 'development');
    const twin = own === null ? undefined : others.find((name) => name !== own && isLookalike(own, name));
    const found: RawFinding[] =
      twin === undefined
        ? []
        : [{ path: manifest.path, message: `${own} is almost the same as ${twin}, another package of this workspace` }];
    for (const { name } of dependencies) {
      if (names.has(name)) continue;
      const near = [...names].find((other) => isLookalike(name, other));
      if (near !== undefined)
        found.push({ path: manifest.path, message: `it depends on ${name}; this workspace has ${near}` });
    }
    return found;
  },
};

/** The same but for separators, scope, or one letter in a name that is long enough. */
function isLookalike(a: string, b: string): boolean {
  const plain = (name: string) => name.toLowerCase().replace(/[-_.]/g, '');
  const [left, right] = [plain(a), plain(b)];
  if (left === right) return true;
  return Math.min(left.length, right.length) >= 6 && isOneEdit(left, right);
}

function isOneEdit(a: string, b: string): boolean {
  if (Math.abs(a.length - b.length) > 1) return false;
  let at = 0;
  while (at < Math.min(a.length, b.length) && a[at] === b[at]) at++;
  const swapped = a[at] === b[at + 1] && a[at + 1] === b[at] && a.slice(at + 2) === b.slice(at + 2);
  return (
    swapped || a.slice(at + 1) === b.slice(at + 1) || a.slice(at) === b.slice(at + 1) || a.slice(at + 1) === b.slice(at)
  );
}
