import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { objectOf, textOf } from '../../manifest/fields.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { parseToml } from '../../manifest/toml.ts';
import type { FormDefinition } from '../definition.ts';
import { pythonTraits } from '../python/python-traits.ts';
import { plainEntries, plainTraits } from '../traits.ts';

/** A source distribution of Python. */
export const sdist: FormDefinition = {
  ...plainTraits,
  ...pythonTraits,
  title: 'source distribution for Python, `.tar.gz`',
  container: 'tar.gz',
  role: 'package',
  layout: async () => (await import('./sdist.ts')).sdist,
  platforms: 'one-with-all',
  entries: plainEntries,
  innerName: normaliseName,
  surfaceLike: 'wheel',
  innerVersions: ({ texts, prefix }) => {
    const path = `${prefix}pyproject.toml`;
    const version = pyprojectVersion(texts.get(path));
    return version === null ? [] : [{ path, version }];
  },
  // The list of sources that build tools write.
  isOwnFile: (path) => /\.egg-info\/SOURCES\.txt$/.test(path),
  buildFiles: ['pyproject.toml', 'setup.py'],
  reasonLeftOut: () => 'a sdist does not take it',
};

function pyprojectVersion(text: string | undefined): string | null {
  try {
    return textOf(objectOf(parseToml(text ?? '', 'pyproject.toml')['project'])['version']);
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return null;
  }
}
