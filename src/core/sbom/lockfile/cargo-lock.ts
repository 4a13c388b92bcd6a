import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parseToml } from '../../manifest/toml.ts';
import { hexDigest } from '../digest.ts';
import type { DependencyKind } from '../sbom.ts';
import { type DependencyReader, lockedPackage, type Need, type ReadingContext } from './reading.ts';

/** `Cargo.lock` (the Cargo Book, "Cargo.toml vs Cargo.lock"; versions 1 to 4 differ in where checksums stand). */
export const readCargoLock: DependencyReader = (text, context) => {
  const lock = parseToml(text, context.file);
  const entries = (Array.isArray(lock['package']) ? lock['package'] : []).map(objectOf);
  const metadata = objectOf(lock['metadata']);
  const keyOf = (entry: Readonly<Record<string, unknown>>) =>
    `${shownText(entry['name'])} ${shownText(entry['version'])}`;
  const find = (wanted: string): string | null => {
    const [name = '', version] = wanted.split(' ');
    const found = entries.find(
      (entry) => entry['name'] === name && (version === undefined || entry['version'] === version),
    );
    return found === undefined ? null : keyOf(found);
  };
  const needsOf = (entry: Readonly<Record<string, unknown>>, kindOf: (name: string) => DependencyKind): Need[] =>
    (Array.isArray(entry['dependencies']) ? entry['dependencies'] : []).flatMap((item) => {
      const key = find(shownText(item));
      return key === null ? [] : [{ key, kind: kindOf(shownText(item).split(' ')[0] ?? '') }];
    });
  const foreign = entries.filter((entry) => entry['source'] !== undefined);
  const packages = foreign.map((entry) => {
    const checksum =
      textOf(entry['checksum']) ??
      textOf(
        metadata[`checksum ${shownText(entry['name'])} ${shownText(entry['version'])} (${shownText(entry['source'])})`],
      );
    const digest = checksum === null ? null : hexDigest('sha256', checksum);
    return lockedPackage({
      key: keyOf(entry),
      type: 'cargo',
      name: shownText(entry['name']),
      version: textOf(entry['version']),
      digests: digest === null ? [] : [digest],
      location: textOf(entry['source']),
      needs: needsOf(entry, () => 'run'),
    });
  });
  const own = entries.filter((entry) => entry['source'] === undefined);
  const roots = new Map(
    own.map((entry) => [
      folderOf(shownText(entry['name']), context),
      needsOf(entry, (name) => kindIn(shownText(entry['name']), name, context)),
    ]),
  );
  const inside = new Set(packages.map(({ key }) => key));
  return {
    format: `Cargo lockfile ${shownText(lock['version'] ?? 1)}`,
    packages,
    roots: new Map([...roots].map(([folder, needs]) => [folder, needs.filter(({ key }) => inside.has(key))])),
    unknown: [],
  };
};

function folderOf(name: string, { manifests }: ReadingContext): string {
  return [...manifests].find(([, manifest]) => manifest.name === name)?.[0] ?? '';
}

/** The lockfile does not tell kinds apart: the manifest does. */
function kindIn(owner: string, name: string, { manifests }: ReadingContext): DependencyKind {
  const manifest = [...manifests.values()].find((manifest) => manifest.name === owner);
  return manifest?.dependencies.find((dependency) => dependency.name === name)?.kind ?? 'run';
}
