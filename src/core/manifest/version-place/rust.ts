import { objectOf, textOf } from '../fields.ts';
import { parseToml } from '../toml.ts';
import { type FindPlaces, foldersUp, inside, placeByPattern } from './place.ts';

/** `version.workspace = true` takes the version of `[workspace.package]` in a folder above (The Cargo Book, "Workspaces"). */
export const findRustPlaces: FindPlaces = async ({ folder, manifestPath, read, files }) => {
  const text = manifestPath === null ? null : await read(manifestPath);
  if (text === null || manifestPath === null) return [];
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
};
