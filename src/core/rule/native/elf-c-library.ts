import { compareDotted } from '../../facts/elf.ts';
import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const elfCLibrary: Rule = {
  id: 'native/elf-c-library',
  forms: allForms,
  severity: 'refuse',
  what: "Machine code needs no newer C library than `verify.c-library`, the wheel's tag or the dependencies allow",
  why: 'On older systems the loader fails with "version not found"',
  fix: 'Build on the oldest supported system, or raise `verify.c-library`',
  example: 'c-library: "2.31" and a symbol of GLIBC_2.34',
  check: ({ facts, form, fileName, manifest }, { cLibrary }) => {
    const limit = cLibrary ?? formDefinitions[form].cLibraryLimit({ fileName, manifest });
    if (limit === null) return [];
    return [...facts.elf].flatMap(([path, elf]): RawFinding[] => {
      const needs = elf?.cLibrary ?? null;
      if (needs === null || compareDotted(needs, limit) <= 0) return [];
      return [{ path, message: `it needs version ${needs} of the C library; the limit is ${limit}` }];
    });
  },
};
