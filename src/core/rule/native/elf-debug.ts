import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const elfDebug: Rule = {
  id: 'native/elf-debug',
  forms: allForms,
  severity: 'warn',
  what: 'Machine code carries no debug information, and its stack cannot be executed',
  why: 'Debug information is often larger than the code and names the folders it was built in; an executable stack helps attackers',
  fix: 'Strip it, or keep it in a package of its own; mark assembler files with .note.GNU-stack',
  example: 'lib/libharmonics.so.0 with .debug_info',
  check: ({ facts, fileName }) => {
    if (/-(?:dbg|dbgsym|debuginfo|debug)[_-]/.test(fileName)) return [];
    return [...facts.elf].flatMap(([path, elf]): RawFinding[] => {
      if (elf === null || elf.type === 'object') return [];
      const found: RawFinding[] = [];
      if (elf.debugSections.length > 0 && !/\.debug$/.test(path))
        found.push({ path, message: `it has debug information (${elf.debugSections[0]} and so on)` });
      if (elf.hasExecutableStack) found.push({ path, message: 'its stack may be executed' });
      return found;
    });
  },
};
