import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const elfRunPath: Rule = {
  id: 'native/elf-run-path',
  forms: allForms,
  severity: 'refuse',
  what: 'Machine code looks for its libraries beside itself or where the system keeps them, nowhere else',
  why: "A folder of the build machine is empty on others, or is anybody's who can write there: a library in it runs as the user",
  fix: 'Link with -Wl,-rpath,$ORIGIN, or with no run path at all',
  example: 'RUNPATH /home/harbour/build/lib',
  check: ({ facts }) =>
    [...facts.elf].flatMap(([path, elf]): RawFinding[] =>
      (elf?.runPaths ?? []).flatMap((folder): RawFinding[] => {
        if (/^\$(?:ORIGIN|\{ORIGIN\}|LIB|\{LIB\})(?:\/|$)/.test(folder)) return [];
        if (/^\/(?:usr\/)?lib(?:32|64|exec)?(?:\/|$)|^\/opt\//.test(folder)) return [];
        return [
          {
            path,
            message: folder.startsWith('/')
              ? `it looks for libraries in ${folder}`
              : `it looks for libraries in "${folder}", wherever it is started`,
          },
        ];
      }),
    ),
};
