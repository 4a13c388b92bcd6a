import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

/** Files written by builds; in hand-written texts, home folders are usually examples. */
const written = /\.(?:map|[cm]?js|css|json|pc|cmake|la|wasm|pyc|class|so[\d.]*|dylib|dll|exe|pyd|node|a|pdb|lib|o)$/i;
const trial =
  /(?:^|\/)(?:tests?|__tests__|specs?|fixtures?|examples?|docs?|benchmarks?)\/|\.(?:test|spec)\.[cm]?[jt]s$/i;

export const buildPath: Rule = {
  id: 'contents/build-path',
  forms: allForms,
  severity: 'refuse',
  what: 'No paths of the build machine in code, maps, run paths or debug information',
  why: 'They reveal who built it and where, make every build different, and break debuggers',
  fix: 'Remove them in the build (a prefix map for compilers, relative sources for maps) and strip the rest',
  example: '/home/harbour/tidemark/src/tide.ts in dist/tide.js.map',
  check: ({ facts, binaries }) =>
    facts.marks.flatMap(({ kind, path, line, what }): RawFinding[] => {
      if (kind === 'own-place') return [{ path, message: `line ${line} contains ${what}, a folder of this machine` }];
      if (kind !== 'place' || trial.test(path) || !(written.test(path) || binaries.has(path))) return [];
      return [{ path, message: `line ${line} contains ${what}`, severity: 'warn' }];
    }),
};
