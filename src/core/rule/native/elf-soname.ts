import { pathsIn } from '../../form/artifact.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

const folders = /(?:^|\/)(?:lib(?:32|64)?|usr\/lib(?:32|64)?(?:\/[\w-]+-linux-[\w-]+)?)\/lib[^/]+\.so(?:\.[\d.]+)?$/;

export const elfSoname: Rule = {
  id: 'native/elf-soname',
  forms: allForms,
  severity: 'warn',
  what: 'A shared library for linking has a soname, and a file with that name next to it',
  why: 'Without it, programs record the exact file they were linked with, and break when its version or folder changes',
  fix: 'Link with -Wl,-soname,libNAME.so.MAJOR and include a link with that name next to the file',
  example: 'lib/libharmonics.so without a soname',
  check: (artifact) => {
    return [...artifact.facts.elf].flatMap(([path, elf]): RawFinding[] => {
      if (elf === null) return [{ path, message: 'it begins like an ELF file but is not valid' }];
      if (elf.type !== 'shared' || elf.interpreter !== null || !folders.test(path)) return [];
      if (elf.soname === null) return [{ path, message: 'it has no soname' }];
      const folder = path.slice(0, path.lastIndexOf('/') + 1);
      if (pathsIn(artifact).has(folder + elf.soname)) return [];
      return [{ path, message: `its soname is ${elf.soname}, but there is no file with that name next to it` }];
    });
  },
};
