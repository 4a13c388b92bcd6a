import { type FindPlaces, inside, numbersOnly, placeByPattern, type VersionPlace } from './place.ts';

/** What the build systems of C and C++ say of a project's version. */
export const findNativePlaces: FindPlaces = async ({ folder, files, read }) => {
  const places = [cmakePlace, mesonPlace, autoconfPlace].flatMap(({ name, make }) =>
    name
      .map((file) => inside(folder, file))
      .filter((file) => files.has(file))
      .map(make),
  );
  const found: VersionPlace[] = [];
  for (const place of places) if (place.read((await read(place.file)) ?? '') !== null) found.push(place);
  return found;
};

/** `project(NAME VERSION 1.2.3 …)`: numbers only (CMake, "project"). */
const cmakePlace = {
  name: ['CMakeLists.txt'],
  make: (file: string) =>
    placeByPattern(
      { file, what: 'project(… VERSION)', isSource: true },
      /(?<before>^[ \t]*project[ \t]*\([^)#]*?\bVERSION\s+"?)(?<version>\d+(?:\.\d+){0,3})(?<after>)/im,
      numbersOnly,
    ),
};

/** `project('name', 'c', version: '1.2.3')` (Meson, "project()"). */
const mesonPlace = {
  name: ['meson.build'],
  make: (file: string) =>
    placeByPattern(
      { file, what: "project(…, version: '…')", isSource: true },
      /(?<before>^[ \t]*project[ \t]*\((?:[^()#]|\([^)]*\))*?\bversion[ \t]*:[ \t]*')(?<version>\d[^'\n]*)(?<after>')/m,
    ),
};

/** `AC_INIT([name], [1.2.3])` (Autoconf, "Initializing configure"). */
const autoconfPlace = {
  name: ['configure.ac', 'configure.in'],
  make: (file: string) =>
    placeByPattern(
      { file, what: 'AC_INIT', isSource: true },
      /(?<before>^[ \t]*AC_INIT[ \t]*\([^,)]*,\s*\[?)(?<version>\d[\w.+-]*)(?<after>)/m,
    ),
};
