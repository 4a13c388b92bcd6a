import { objectOf, textOf } from '../../manifest/fields.ts';
import { parseToml } from '../../manifest/toml.ts';
import {
  type FindPlaces,
  foldersUp,
  inside,
  type PlaceSearch,
  placeByPattern,
  type VersionPlace,
} from '../../manifest/version-place/place.ts';
import { cargoRanges } from './ranges.ts';

/** `version.workspace = true` takes the version of `[workspace.package]` in a folder above (The Cargo Book, "Workspaces"). */
export const findRustPlaces: FindPlaces = async (search) => {
  const { folder, manifestPath, read, files } = search;
  const text = manifestPath === null ? null : await read(manifestPath);
  if (text === null || manifestPath === null) return [];
  return [
    ...(await sharedPlaces(text, manifestPath, search)),
    ...(await inheritedRanges({ folder, read, files }, text)),
  ];
};

async function sharedPlaces(
  text: string,
  manifestPath: string,
  { folder, files, read }: PlaceSearch,
): Promise<VersionPlace[]> {
  const version = objectOf(parseToml(text, manifestPath)['package'])['version'];
  if (objectOf(version)['workspace'] !== true) return [];
  for (const above of foldersUp(folder)) {
    const file = inside(above, 'Cargo.toml');
    const root = files.has(file) ? await read(file) : null;
    const shared = root === null ? {} : objectOf(objectOf(parseToml(root, file)['workspace'])['package']);
    if (textOf(shared['version']) === null) continue;
    return [
      placeByPattern(
        { file, what: 'version in [workspace.package]', isSource: true },
        /(?<before>^\[workspace\.package\][^[]*?^version[ \t]*=[ \t]*(?<quote>["']))(?<version>[^"'\n]*)(?<after>\k<quote>)/m,
      ),
    ];
  }
  return [];
}

/**
 * The range of a crate in `[workspace.dependencies]` of a folder above, where members take it from with `workspace = true`: it
 * must lead to the workspace's own copy.
 */
async function inheritedRanges(
  { folder, read, files }: Pick<PlaceSearch, 'folder' | 'read' | 'files'>,
  crate: string,
): Promise<VersionPlace[]> {
  const name = textOf(objectOf(parseToml(crate, 'Cargo.toml')['package'])['name']);
  const found: VersionPlace[] = [];
  for (const above of foldersUp(folder)) {
    const file = inside(above, 'Cargo.toml');
    const root = files.has(file) ? await read(file) : null;
    const table = root === null ? {} : objectOf(objectOf(parseToml(root, file)['workspace'])['dependencies']);
    const entry = objectOf(table[name ?? '']);
    if (name === null || textOf(entry['path']) === null || textOf(entry['version']) === null) continue;
    const range = textOf(entry['version']) ?? '';
    found.push({
      file,
      what: `${name} in [workspace.dependencies]`,
      isSource: false,
      // A range, not the version itself.
      read: () => null,
      stamp: (text, { version }) =>
        cargoRanges.takes(range, null, version) ? text : raiseInherited(text, name, cargoRanges.raise(range, version)),
    });
  }
  return found;
}

function raiseInherited(text: string, name: string, range: string): string {
  const key = `["']?${name.replace(/[^\w-]/g, '')}["']?`;
  return text.replace(
    new RegExp(
      `(^\\[workspace\\.dependencies\\][^[]*?^${key}[ \\t]*=[ \\t]*\\{[^}\\n]*?version[ \\t]*=[ \\t]*")[^"\\n]*(")`,
      'm',
    ),
    (_, before: string, after: string) => `${before}${range}${after}`,
  );
}
