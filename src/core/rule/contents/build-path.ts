import type { RawFinding, Rule } from '../rule.ts';

const prose =
  /\.(?:md|markdown|rst|txt|adoc|html?|1|3)$|(?:^|\/)(?:readme|changelog|changes|history|authors|news|copying|licen[cs]e)[^/]*$/i;
const trial =
  /(?:^|\/)(?:tests?|__tests__|specs?|fixtures?|examples?|docs?|benchmarks?)\/|\.(?:test|spec)\.[cm]?[jt]s$/i;

export const buildPath: Rule = {
  id: 'contents/build-path',
  severity: 'refuse',
  what: 'No path of the build machine is in shipped code, maps, run paths or debug information',
  why: 'It tells who built it and where, makes every build different, and points debuggers to nowhere',
  fix: 'Map paths away in the build (a prefix map for compilers, relative sources for maps) and strip what is left',
  example: '/home/harbour/work/tidemark/src/tide.ts in dist/tide.js.map',
  check: ({ facts }) =>
    facts.marks.flatMap(({ kind, path, line, what }): RawFinding[] => {
      if (kind === 'own-place') return [{ path, message: `line ${line} names ${what}, a folder of this machine` }];
      // In prose, tests and examples a home folder is somebody's for the sake of talking about it.
      if (kind !== 'place' || prose.test(path) || trial.test(path)) return [];
      return [{ path, message: `line ${line} names ${what}`, severity: 'warn' }];
    }),
};
