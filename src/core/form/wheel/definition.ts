import { compareDotted } from '../../facts/elf.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import type { FormDefinition } from '../definition.ts';
import { pythonTraits } from '../python/python-traits.ts';
import { plainEntries, plainTraits } from '../traits.ts';

/** A built distribution of Python. */
export const wheel: FormDefinition = {
  ...plainTraits,
  ...pythonTraits,
  title: 'built distribution for Python, `.whl`',
  container: 'zip',
  naming: {
    ending: /\.whl$/i,
    parts: ['WHEEL', 'METADATA', 'RECORD'].map((name) => ({
      name: `*.dist-info/${name}`,
      path: new RegExp(`^[^/]+\\.dist-info/${name}$`),
    })),
  },
  role: 'package',
  layout: async () => (await import('./wheel.ts')).wheel,
  platforms: 'one-each',
  entries: { ...plainEntries, links: 'dropped', modes: 'replaced' },
  innerName: normaliseName,
  cLibraryLimit: ({ fileName }) => tagLimit(fileName),
  reasonLeftOut: () => 'it is not part of an import package',
};

/** PEP 600 and the aliases before it. */
function tagLimit(fileName: string): string | null {
  const modern = [...fileName.matchAll(/manylinux_(\d+)_(\d+)_/g)].map((match) => `${match[1]}.${match[2]}`);
  if (modern.length > 0) return modern.sort(compareDotted)[0] ?? null;
  if (/manylinux2014_/.test(fileName)) return '2.17';
  return /manylinux2010_/.test(fileName) ? '2.12' : /manylinux1_/.test(fileName) ? '2.5' : null;
}
