import { type FindPlaces, foldersUp, inside, placeByPattern, type VersionPlace } from './place.ts';

/**
 * Version properties of a project file, and of the `Directory.Build.props` that it imports from the nearest folder above
 * (MSBuild, "Customize the build by folder"). `VersionPrefix` and the four-number properties get the numbers alone.
 */
export const findDotnetPlaces: FindPlaces = async ({ folder, files, read }) => {
  const projects = [...files].filter(
    (file) =>
      file.startsWith(folder === '' ? '' : `${folder}/`) && /^[^/]+\.(?:cs|fs|vb)proj$/.test(tail(file, folder)),
  );
  const props = foldersUp(folder)
    .map((above) => inside(above, 'Directory.Build.props'))
    .find((file) => files.has(file));
  const found: VersionPlace[] = [];
  for (const file of [...projects, ...(props === undefined ? [] : [props])]) {
    const text = (await read(file)) ?? '';
    found.push(...properties(file).filter((place) => place.read(text) !== null));
  }
  return found;
};

function tail(file: string, folder: string): string {
  return folder === '' ? file : file.slice(folder.length + 1);
}

function properties(file: string): VersionPlace[] {
  const element = (name: string) =>
    new RegExp(`(?<before><${name}>\\s*)(?<version>\\d[^<$\\s]*)(?<after>\\s*</${name}>)`);
  const numbers = (version: string) => version.replace(/[-+].*$/, '');
  return [
    placeByPattern({ file, what: '<Version>', isSource: true }, element('Version')),
    placeByPattern({ file, what: '<PackageVersion>', isSource: true }, element('PackageVersion')),
    placeByPattern({ file, what: '<VersionPrefix>', isSource: true }, element('VersionPrefix'), ({ version }) =>
      numbers(version),
    ),
    placeByPattern(
      { file, what: '<FileVersion>', isSource: false },
      element('FileVersion'),
      ({ version }) => `${numbers(version)}.0`,
    ),
    placeByPattern(
      { file, what: '<AssemblyVersion>', isSource: false },
      element('AssemblyVersion'),
      ({ version }) => `${numbers(version)}.0`,
    ),
  ];
}
