import { type FindPlaces, inside, placeByPattern, type VersionPlace } from './place.ts';

/** A file that holds a version and nothing else. */
const wholeFile = /^(?<before>\ufeff?\s*v?)(?<version>\d+(?:\.\d+){1,3}[\w.+-]*)(?<after>\s*)$/;

const fileNames = ['VERSION', 'VERSION.txt', 'version.txt', '.version'];

/** A `VERSION` file in the package's folder, whatever its ecosystem. */
export const findVersionFiles: FindPlaces = async ({ folder, files }) =>
  fileNames
    .map((name) => inside(folder, name))
    .filter((file) => files.has(file))
    .map((file): VersionPlace => placeByPattern({ file, what: 'the file', isSource: false }, wholeFile));

/** The place in a file that a manifest names as the source of its version. */
export function versionFile(file: string): VersionPlace {
  return placeByPattern({ file, what: 'the file', isSource: true }, wholeFile);
}
