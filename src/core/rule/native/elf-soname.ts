import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

const folders = /(?:^|\/)(?:lib(?:32|64)?|usr\/lib(?:32|64)?(?:\/[\w-]+-linux-[\w-]+)?)\/lib[^/]+\.so(?:\.[\d.]+)?$/;

export const elfSoname: Rule = {
  id: 'native/elf-soname',
  forms: allForms,
  severity: 'warn',
  what: 'A shared library that others link to has a soname, and a file of that name lies beside it',
  why: 'Without it programs remember the very file they were linked with, and break at the next version or the next folder',
  fix: 'Link with -Wl,-soname,libNAME.so.MAJOR and ship a link of that name beside the file',
  example: 'lib/libharmonics.so without a soname',
  check: ({ facts, entries }) => {
    const paths = new Set(entries.map(({ path }) => path));
    return [...facts.elf].flatMap(([path, elf]): RawFinding[] => {
      if (elf === null) return [{ path, message: 'it begins as an ELF file and cannot be read as one' }];
      if (elf.type !== 'shared' || elf.interpreter !== null || !folders.test(path)) return [];
      if (elf.soname === null) return [{ path, message: 'it has no soname' }];
      const folder = path.slice(0, path.lastIndexOf('/') + 1);
      if (paths.has(folder + elf.soname)) return [];
      return [{ path, message: `its soname is ${elf.soname}, and no file of that name is beside it` }];
    });
  },
};
