import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

/** What builds write; in hand-written texts a home folder is somebody's for the sake of talking about it. */
const written = /\.(?:map|[cm]?js|css|json|pc|cmake|la|wasm|pyc|class|so[\d.]*|dylib|dll|exe|pyd|node|a|pdb|lib|o)$/i;
const trial =
  /(?:^|\/)(?:tests?|__tests__|specs?|fixtures?|examples?|docs?|benchmarks?)\/|\.(?:test|spec)\.[cm]?[jt]s$/i;

export const buildPath: Rule = {
  id: 'contents/build-path',
  forms: allForms,
  severity: 'refuse',
  what: 'No path of the build machine is in shipped code, maps, run paths or debug information',
  why: 'It tells who built it and where, makes every build different, and points debuggers to nowhere',
  fix: 'Map paths away in the build (a prefix map for compilers, relative sources for maps) and strip what is left',
  example: '/home/harbour/tidemark/src/tide.ts in dist/tide.js.map',
  check: ({ facts, binaries }) =>
    facts.marks.flatMap(({ kind, path, line, what }): RawFinding[] => {
      if (kind === 'own-place') return [{ path, message: `line ${line} names ${what}, a folder of this machine` }];
      if (kind !== 'place' || trial.test(path) || !(written.test(path) || binaries.has(path))) return [];
      return [{ path, message: `line ${line} names ${what}`, severity: 'warn' }];
    }),
};
