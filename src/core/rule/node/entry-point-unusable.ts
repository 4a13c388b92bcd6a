import { isPublicTarget } from '../../manifest/conditions.ts';
import { objectOf } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const entryPointUnusable: Rule = {
  id: 'node/entry-point-unusable',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: '`exports`, `imports` and `bin` are valid for Node.js',
  why: 'Node.js rejects the whole package at the first import if one key or target is malformed',
  fix: 'Begin targets with ./, keys of `exports` with a dot and keys of `imports` with #; do not mix paths and conditions',
  example: '"exports": { ".": "dist/tide.js" }, without the leading ./',
  check: ({ manifest }) => {
    if (manifest === null) return [];
    const { exports, imports, main } = manifest.json;
    const keys = Object.keys(objectOf(exports));
    const found: string[] = [];
    const unused: RawFinding[] = [];
    const softer: RawFinding[] = [];
    const add = (at: string, text: string, isInternal: boolean) => {
      for (const message of problemOf(at, text, isInternal)) {
        if (isReached(at)) found.push(message);
        else softer.push({ path: manifest.path, message, severity: 'warn' });
      }
    };
    if (keys.some((key) => key.startsWith('.')) && keys.some((key) => !key.startsWith('.')))
      found.push('`exports` mixes paths with conditions');
    for (const { at, text } of targets(exports, 'exports')) add(at, text, false);
    for (const key of Object.keys(objectOf(imports)))
      if (!key.startsWith('#') || key === '#')
        unused.push({
          path: manifest.path,
          message: `\`imports\` has the key "${key}", which does not begin with # and is never used`,
          severity: 'warn',
        });
    for (const { at, text } of targets(imports, 'imports')) add(at, text, true);
    if (typeof main === 'string' && main.startsWith('/')) found.push(`\`main\` is the absolute path ${main}`);
    return [...found.map((message): RawFinding => ({ path: manifest.path, message })), ...unused, ...softer];
  },
};

/** Whether a runtime or a bundler looks at a target; a compiler, and a condition of the developers' own, passes a malformed one over. */
function isReached(at: string): boolean {
  const [field = '', ...keys] = at.split(' > ');
  return !keys.some((key) => key === 'types' || key.startsWith('types@')) && isPublicTarget(keys, field);
}

function targets(value: unknown, at: string): { at: string; text: string }[] {
  if (typeof value === 'string') return [{ at, text: value }];
  if (Array.isArray(value)) return value.flatMap((item) => targets(item, at));
  return Object.entries(objectOf(value)).flatMap(([key, value]) => targets(value, `${at} > ${key}`));
}

function problemOf(at: string, text: string, isInternal: boolean): string[] {
  if (isInternal && !text.startsWith('.') && !text.startsWith('/')) return [];
  if (!text.startsWith('./')) return [`\`${at}\` leads to "${text}", which does not begin with ./`];
  const parts = text.slice(2).split('/');
  return parts.includes('..') || parts.includes('node_modules')
    ? [`\`${at}\` leads to "${text}", out of the package`]
    : [];
}
