import { declaredNames } from '../../surface/exported-names.ts';
import { locateTypes } from '../../surface/locate-types.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { nodeViewOf } from './node-view.ts';
import { typedEntries } from './typed-entries.ts';

const called = { module: 'an ES module', commonjs: 'CommonJS' } as const;

export const typesModuleSystem: Rule = {
  id: 'node/types-module-system',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'The type declarations of an entry are of the same module system as its code',
  why: 'TypeScript goes by the declarations: it rejects a `require` that works, or accepts a default import that is undefined',
  fix: 'Give each condition declarations of its own: .d.mts beside .mjs, .d.cts beside .cjs',
  example: '"require": { "types": "./index.d.ts", "default": "./index.cjs" } with "type": "module"',
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null) return [];
    const wrong = typedEntries(artifact).filter(
      ({ mode, code, codeSystem, typesSystem, declaration }) =>
        codeSystem !== typesSystem &&
        // A module that is required fails with any declarations; JSON and others have no system.
        !(mode === 'require' && codeSystem === 'module') &&
        /\.[cm]?js$/.test(code) &&
        isModule(declaration),
    );
    return wrong.map(({ entry, mode, code, types, codeSystem, typesSystem }): RawFinding => {
      const message = `for ${mode} of ${entry} it describes ${called[typesSystem]}, and ${code} is ${called[codeSystem]}`;
      const { names } = declaredNames({
        file: types,
        read: view.declaration,
        locate: (specifier, from) => locateTypes(specifier, from, view.pkg.has),
      });
      // Named exports are the same in both; only the default is another one.
      const isHarmless = typesSystem === 'commonjs' && !names.has('default');
      return { path: artifact.prefix + types, message, ...(isHarmless ? { severity: 'warn' as const } : {}) };
    });
  },
};

/** Whether a file exports anything; one that only adds to the global names is loaded the same in every way. */
function isModule({
  values,
  types,
  handedOn,
  from,
  isOneValue,
}: ReturnType<typeof typedEntries>[number]['declaration']): boolean {
  return isOneValue || values.length + types.length + handedOn.length + from.length > 0;
}
