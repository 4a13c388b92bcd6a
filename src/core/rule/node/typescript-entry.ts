import type { RawFinding, Rule } from '../rule.ts';
import { nodeViewOf } from './node-view.ts';

export const typescriptEntry: Rule = {
  id: 'node/typescript-entry',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Entries lead to JavaScript, not to TypeScript sources',
  why: 'Node.js refuses TypeScript below node_modules, and compilers check the sources with the settings of the user',
  fix: 'Compile it, and let the entry lead to the compiled file; sources may stand behind a condition of your own',
  example: '"exports": "./src/tide.ts"',
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null) return [];
    const starts = [...view.starts('server import'), ...view.starts('server require')];
    const found = new Map(
      // An entry that is called like the file is asked for as a source.
      starts
        .filter(({ entry, file }) => isSource(file) && entry !== `./${file}`)
        .map(({ entry, file }) => [file, entry]),
    );
    return [...found].map(([file, entry]): RawFinding => {
      const message = `${entry.startsWith('.') ? `the entry ${entry}` : entry} leads to this TypeScript source`;
      return { path: artifact.prefix + file, message };
    });
  },
};

function isSource(file: string): boolean {
  return /\.[cm]?tsx?$/.test(file) && !/\.d\.[cm]?ts$/.test(file);
}
