import { textOf } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { nodeViewOf } from './node-view.ts';

export const moduleField: Rule = {
  id: 'node/module-field',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: '`module` names a file with ES module syntax',
  why: 'Bundlers take it for one, and then find no export of any name in it',
  fix: 'Name the ES module build, or remove `module`',
  example: '"module": "dist/tide.js" with module.exports in it',
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    const named = textOf(artifact.manifest?.json['module'])?.replace(/^\.\//, '') ?? null;
    if (view === null || named === null) return [];
    const file = [named, `${named}.js`, `${named}/index.js`].find(view.pkg.has);
    if (file === undefined || view.script(file)?.syntax !== 'commonjs') return [];
    return [
      { path: artifact.prefix + file, message: '`module` names it, and it is written as CommonJS' },
    ] satisfies RawFinding[];
  },
};
