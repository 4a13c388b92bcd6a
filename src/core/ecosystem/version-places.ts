import type { PlaceSearch, VersionPlace } from '../manifest/version-place/place.ts';
import { findVersionFiles } from '../manifest/version-place/plain.ts';
import type { Ecosystem } from '../name/ecosystem.ts';
import { ecosystemDefinitions } from './definitions.ts';

/** Every place where a package of an ecosystem keeps its version beside the manifest's own field, each file and place once. */
export async function findVersionPlaces(ecosystem: Ecosystem, search: PlaceSearch): Promise<VersionPlace[]> {
  const { findPlaces } = ecosystemDefinitions[ecosystem];
  const own = findPlaces === null ? [] : await (await findPlaces())(search);
  const files = await findVersionFiles(search);
  return [...own, ...files.filter(({ file }) => !own.some((place) => place.file === file))];
}
