import { pickFiles } from '../../contents/picks.ts';
import type { Rule } from '../rule.ts';
import { nodeViewOf } from './node-view.ts';

export const typesMissing: Rule = {
  id: 'node/types-missing',
  forms: ['npm-tarball'],
  severity: 'warn',
  what: 'Every entry with code has type declarations',
  why: 'TypeScript users get `any` or an error for entries without them',
  fix: 'Generate declarations for each entry in the build, and add them as the condition `types`',
  example: '"./browser" leads to dist/browser.js, and no dist/browser.d.ts is there',
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null || artifact.manifest === null) return [];
    const picks = pickFiles(artifact.manifest.json, view.paths);
    const code = picks.filter(({ consumer, file }) => consumer !== 'type checker' && /\.[cm]?js$/.test(file ?? ''));
    const entries = [...new Set(code.map(({ entry }) => entry))];
    const hasTypes = (entry: string) =>
      picks.some((pick) => pick.entry === entry && pick.consumer === 'type checker' && pick.file !== null);
    const without = entries.filter((entry) => !hasTypes(entry));
    const { path } = artifact.manifest;
    if (without.length === 0) return [];
    // Types that live in a package of their own are none of this one's faults.
    if (without.length === entries.length && artifact.facts.declarations.size === 0)
      return [{ path, message: 'it contains no type declarations', severity: 'note' }];
    const others = without.length === 1 ? '' : `, and neither have ${without.length - 1} more`;
    return [{ path, message: `the entry ${without[0]} has no type declarations${others}` }];
  },
};
