import { compareDotted } from '../../facts/elf.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const elfCLibrary: Rule = {
  id: 'native/elf-c-library',
  severity: 'refuse',
  what: 'Machine code asks for no newer C library than `verify.c-library`, the tag of the wheel or the dependencies allow',
  why: 'On any older system the loader stops with "version not found", and that is how most builds on a new machine fail',
  fix: 'Build on the oldest system that is to be supported, or raise `verify.c-library`',
  example: 'c-library: "2.31" and a symbol of GLIBC_2.34',
  check: ({ facts, form, fileName, manifest }, { cLibrary }) => {
    const tagged =
      form === 'wheel'
        ? wheelLimit(fileName)
        : form === 'deb'
          ? debLimit(String(manifest?.json['Depends'] ?? ''))
          : null;
    const limit = cLibrary ?? tagged;
    if (limit === null) return [];
    return [...facts.elf].flatMap(([path, elf]): RawFinding[] => {
      const needs = elf?.cLibrary ?? null;
      if (needs === null || compareDotted(needs, limit) <= 0) return [];
      return [{ path, message: `it needs version ${needs} of the C library, and ${limit} is promised` }];
    });
  },
};

/** PEP 600 and the aliases before it. */
function wheelLimit(fileName: string): string | null {
  const modern = [...fileName.matchAll(/manylinux_(\d+)_(\d+)_/g)].map((match) => `${match[1]}.${match[2]}`);
  if (modern.length > 0) return modern.sort(compareDotted)[0] ?? null;
  if (/manylinux2014_/.test(fileName)) return '2.17';
  return /manylinux2010_/.test(fileName) ? '2.12' : /manylinux1_/.test(fileName) ? '2.5' : null;
}

function debLimit(depends: string): string | null {
  return /\blibc6 \(>= (\d+(?:\.\d+)+)/.exec(depends)?.[1] ?? null;
}
