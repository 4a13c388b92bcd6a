import type { NameUse } from '../../facts/script.ts';
import { moduleSystemOf } from '../../surface/node-package.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { nodeViewOf } from './node-view.ts';

/** What only a function asks for may be for another environment, and is most likely so in code for both. */
function softened({ isLate, name }: NameUse, asksForSystem: boolean): 'warn' | 'note' | null {
  if (!isLate) return null;
  if (asksForSystem) return 'note';
  return name === 'require' ? 'warn' : null;
}

export const moduleGlobals: Rule = {
  id: 'node/module-globals',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'ES modules use no names that only CommonJS has',
  why: 'Node.js stops with "__dirname is not defined" when it comes to that line',
  fix: 'Use import.meta.dirname, or `fileURLToPath(new URL(".", import.meta.url))`; for `require`, createRequire from node:module',
  example: 'readFileSync(join(__dirname, "tides.json")) in dist/tide.mjs',
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null) return [];
    return [...view.reach('server import').files].sort().flatMap((file): RawFinding[] => {
      const facts = view.script(file);
      const system = moduleSystemOf(file, view.pkg);
      if (facts === null || facts.syntax === 'broken' || facts.syntax === 'commonjs') return [];
      if (system === 'commonjs' || (system === null && facts.syntax !== 'module')) return [];
      const [first] = [...facts.commonJsNames].sort((a, b) => Number(a.isLate) - Number(b.isLate));
      if (first === undefined) return [];
      const message = `line ${first.line} uses ${first.name}, which ES modules do not have`;
      const severity = softened(first, facts.asksForSystem);
      return [{ path: artifact.prefix + file, message, ...(severity === null ? {} : { severity }) }];
    });
  },
};
