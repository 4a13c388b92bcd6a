import type { RawFinding, Rule } from '../rule.ts';
import { typedEntries } from './typed-entries.ts';

export const typesDefault: Rule = {
  id: 'node/types-default',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'A CommonJS file that exports one value is not declared as a default export',
  why: 'Users write what the types say, `require("x").default`, and get undefined',
  fix: 'Write `export =` in the declarations, or `module.exports.default = …` in the code',
  example: '`export default function tide()` in index.d.ts and `module.exports = tide` in index.js',
  check: (artifact) =>
    typedEntries(artifact)
      .filter(
        ({ script, declaration, codeSystem }) =>
          codeSystem === 'commonjs' &&
          script.exports.isOneValue &&
          !script.exports.names.some((name) => name === 'default' || name === '__esModule') &&
          declaration.values.includes('default') &&
          !declaration.isOneValue,
      )
      .map(
        ({ entry, types, code }): RawFinding => ({
          path: artifact.prefix + types,
          message: `for ${entry} it declares a default export, and ${code} exports that value itself`,
        }),
      ),
};
