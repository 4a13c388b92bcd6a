import { compareDotted } from '../../facts/elf.ts';
import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const elfCLibrary: Rule = {
  id: 'native/elf-c-library',
  forms: allForms,
  severity: 'refuse',
  what: 'Machine code asks for no newer C library than `verify.c-library`, the tag of the wheel or the dependencies allow',
  why: 'On any older system the loader stops with "version not found", and that is how most builds on a new machine fail',
  fix: 'Build on the oldest system that is to be supported, or raise `verify.c-library`',
  example: 'c-library: "2.31" and a symbol of GLIBC_2.34',
  check: ({ facts, form, fileName, manifest }, { cLibrary }) => {
    const limit = cLibrary ?? formDefinitions[form].cLibraryLimit({ fileName, manifest });
    if (limit === null) return [];
    return [...facts.elf].flatMap(([path, elf]): RawFinding[] => {
      const needs = elf?.cLibrary ?? null;
      if (needs === null || compareDotted(needs, limit) <= 0) return [];
      return [{ path, message: `it needs version ${needs} of the C library, and ${limit} is promised` }];
    });
  },
};
