import { objectOf, objectsOf, shownText, textOf } from '../../manifest/fields.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { parseToml } from '../../manifest/toml.ts';
import { fileDigests, namedNeeds, type PythonEntry, pythonPackages, pythonRoots } from './python-locks.ts';
import { type DependencyReader, dependencyReading, repositoryQualifiers } from './reading.ts';
import { filesOf } from './requirements.ts';

/** `pylock.toml` (PEP 751, "File Format"). The file says what depends on what only where its writer chose to. */
export const readPylock: DependencyReader = (text, context) => {
  const lock = parseToml(text, context.file);
  if (!/^1\./.test(shownText(lock['lock-version'] ?? ''))) return null;
  const entries = objectsOf(lock['packages']).map((entry): PythonEntry => {
    const archive = objectOf(entry['archive']);
    const files = [...objectsOf(entry['wheels']), objectOf(entry['sdist']), archive];
    const hashes = files.flatMap((file) =>
      Object.entries(objectOf(file['hashes'])).map(([algorithm, value]) => `${algorithm}:${shownText(value)}`),
    );
    const { found, badDigest } = fileDigests(hashes);
    const vcs = objectOf(entry['vcs']);
    const marker = textOf(entry['marker']);
    const repository = textOf(vcs['url']);
    return {
      name: normaliseName(textOf(entry['name']) ?? ''),
      version: textOf(entry['version']),
      needs: namedNeeds(objectsOf(entry['dependencies']), 'run'),
      facts: {
        ...filesOf(found, marker === null ? null : `only where ${marker}`),
        badDigest,
        qualifiers: repository === null ? {} : repositoryQualifiers(repository, textOf(vcs['commit-id'])),
        location: textOf(archive['url']),
      },
      folder: textOf(objectOf(entry['directory'])['path'])?.replace(/^\.\/?/, '') ?? null,
      kind: null,
    };
  });
  const found = pythonPackages(entries, context.file);
  const { packages, unknown } = found;
  return dependencyReading({ format: 'pylock', packages, unknown, ...pythonRoots(found, context, () => 'run') });
};
