import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const elfRunPath: Rule = {
  id: 'native/elf-run-path',
  forms: allForms,
  severity: 'refuse',
  what: 'Machine code searches libraries only in its own folder and in system folders',
  why: 'On other machines the folder is missing, or anyone who can write to it can run code as the user',
  fix: 'Link with -Wl,-rpath,$ORIGIN, or without a run path',
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
