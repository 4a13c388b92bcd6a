import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const elfDebug: Rule = {
  id: 'native/elf-debug',
  forms: allForms,
  severity: 'warn',
  what: 'Machine code has no debug information and no executable stack',
  why: 'Debug information is often larger than the code and contains build paths; an executable stack helps attackers',
  fix: 'Strip it, or put it into a separate package; mark assembler files with .note.GNU-stack',
  example: 'lib/libharmonics.so.0 with .debug_info',
  check: ({ facts, fileName }) => {
    if (/-(?:dbg|dbgsym|debuginfo|debug)[_-]/.test(fileName)) return [];
    return [...facts.elf].flatMap(([path, elf]): RawFinding[] => {
      if (elf === null || elf.type === 'object') return [];
      const found: RawFinding[] = [];
      if (elf.debugSections.length > 0 && !/\.debug$/.test(path))
        found.push({ path, message: `it has debug information (${elf.debugSections[0]} and so on)` });
      if (elf.hasExecutableStack) found.push({ path, message: 'its stack is executable' });
      return found;
    });
  },
};
