import { objectOf, objectsOf, shownText, textOf } from '../../manifest/fields.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { parseToml } from '../../manifest/toml.ts';
import { hexDigest } from '../digest.ts';
import { type DependencyReader, lockedPackage } from './reading.ts';

/** `pylock.toml` (PEP 751, "File Format"). The file says what depends on what only where its writer chose to. */
export const readPylock: DependencyReader = (text, { file, manifests }) => {
  const lock = parseToml(text, file);
  if (!/^1\./.test(shownText(lock['lock-version'] ?? ''))) return null;
  const entries = objectsOf(lock['packages']);
  const keyOf = (entry: Readonly<Record<string, unknown>>) =>
    `${normaliseName(textOf(entry['name']) ?? '')}@${textOf(entry['version']) ?? ''}`;
  const find = (wanted: Readonly<Record<string, unknown>>) => {
    const name = normaliseName(textOf(wanted['name']) ?? '');
    const version = textOf(wanted['version']);
    const found = entries.find(
      (entry) =>
        normaliseName(textOf(entry['name']) ?? '') === name &&
        (version === null || textOf(entry['version']) === version),
    );
    return found === undefined ? null : keyOf(found);
  };
  const packages = entries.map((entry) => {
    const files = [...objectsOf(entry['wheels']), objectOf(entry['sdist']), objectOf(entry['archive'])];
    const digests = files.flatMap((file) =>
      Object.entries(objectOf(file['hashes'])).flatMap(
        ([algorithm, value]) => hexDigest(algorithm, shownText(value)) ?? [],
      ),
    );
    const needs = objectsOf(entry['dependencies']).flatMap((item) => {
      const key = find(item);
      return key === null ? [] : [{ key, kind: 'run' as const }];
    });
    const name = normaliseName(textOf(entry['name']) ?? '');
    // Each file of a project has a digest of its own: one stands for all only when it is alone.
    const alone = digests.length === 1 ? digests : [];
    return lockedPackage({
      key: keyOf(entry),
      type: 'pypi',
      name,
      version: textOf(entry['version']),
      digests: alone,
      needs,
      comment: digests.length > 1 ? `${digests.length} files with digests of their own` : null,
    });
  });
  const needed = new Set(packages.flatMap(({ needs }) => needs.map(({ key }) => key)));
  const declared = new Set([...(manifests.get('')?.dependencies ?? [])].map(({ name }) => name));
  const isDirect = (name: string, key: string) => (declared.size > 0 ? declared.has(name) : !needed.has(key));
  const roots = new Map([
    ['', packages.filter(({ name, key }) => isDirect(name, key)).map(({ key }) => ({ key, kind: 'run' as const }))],
  ]);
  // A package without a dependent is installed all the same.
  return {
    format: 'pylock',
    packages,
    roots,
    unknown: packages
      .filter(({ version }) => version === null)
      .map(({ name }) => `${file} gives no version for ${name}`),
  };
};
