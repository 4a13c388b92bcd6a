import { objectOf } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const conditionOrder: Rule = {
  id: 'node/condition-order',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Conditions are in an order in which each can be reached',
  why: 'The first matching condition wins: conditions after `default` are never used, and `types` after code is not found',
  fix: 'Put `types` first and `default` last, and special conditions before general ones',
  example: '{ "default": "./tide.js", "browser": "./tide.browser.js" }',
  check: ({ manifest }) =>
    manifest === null
      ? []
      : ['exports', 'imports'].flatMap((field) =>
          problemsIn(manifest.json[field], field).map((problem): RawFinding => ({ path: manifest.path, ...problem })),
        ),
};

type Problem = { readonly message: string; readonly severity?: 'warn' };

/** Pairs of which the first holds whenever the second does: behind it the second is never reached. */
const covers: readonly (readonly [string, string])[] = [
  ['import', 'module-sync'],
  ['require', 'module-sync'],
];

function problemsIn(value: unknown, at: string): Problem[] {
  if (Array.isArray(value)) return value.flatMap((item) => problemsIn(item, at));
  const conditions = objectOf(value);
  const keys = Object.keys(conditions);
  const inner = keys.flatMap((key) => problemsIn(conditions[key], `${at} > ${key}`));
  if (keys.some((key) => key.startsWith('.') || key.startsWith('#'))) return inner;
  const found: Problem[] = [];
  const last = keys.indexOf('default');
  for (const key of last === -1 ? [] : keys.slice(last + 1))
    found.push({ message: `\`${at}\` has "${key}" after "default", where it is never used` });
  const types = keys.indexOf('types');
  // Type checkers match `import`, `require`, `node` and `default` too, and take the first that leads to something.
  const before = keys
    .slice(0, Math.max(0, types))
    .filter((key) => /^(?:import|require|node)$/.test(key) && !leadsToTypes(conditions[key]));
  if (before.length > 0)
    found.push({
      message: `\`${at}\` has "types" after "${before[0]}", where type checkers do not find it`,
      severity: 'warn',
    });
  for (const [first, second] of covers) {
    const [a, b] = [keys.indexOf(first), keys.indexOf(second)];
    if (a !== -1 && b > a)
      found.push({
        message: `\`${at}\` has "${second}" after "${first}", where it is never used`,
        severity: 'warn',
      });
  }
  return [...found, ...inner];
}

function leadsToTypes(value: unknown): boolean {
  return 'types' in objectOf(value) || (typeof value === 'string' && /\.d\.[cm]?ts$/.test(value));
}
