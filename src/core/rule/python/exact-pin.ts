import type { RawFinding, Rule } from '../rule.ts';
import { requirementsOf } from './direct-reference.ts';

export const exactPin: Rule = {
  id: 'python/exact-pin',
  forms: ['wheel', 'sdist'],
  severity: 'note',
  what: 'A library requires ranges, not single versions',
  why: 'Two libraries that pin two versions of a third cannot be installed together',
  fix: 'Require a range, such as >=2.1,<3; keep exact versions in a lockfile',
  example: 'Requires-Dist: harmonics==2.1.4',
  check: ({ manifest }) => {
    const pinned = requirementsOf(manifest?.json['Requires-Dist']).filter(
      (text) => /^[^;]*===?\s*[\w.!+]+\s*(?:\)\s*)?(?:;|$)/.test(text) && !/\bextra\b/.test(text),
    );
    const [first] = pinned;
    if (first === undefined) return [];
    const others = pinned.length === 1 ? '' : ` and ${pinned.length - 1} more`;
    return [{ path: manifest?.path ?? null, message: `it requires "${first}"${others}` }] satisfies RawFinding[];
  },
};
