import { filesIn } from '../../form/artifact.ts';
import { objectOf, shownText } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';

// The documented short names of target frameworks, with a platform behind a hyphen.
const moniker =
  /^(?:net[1-4](?:\d{1,2})?|net\d{1,2}\.\d+(?:-[a-z]+[\d.]*)?|netstandard[12]\.\d|netcoreapp[123]\.\d|netcore\d*|netmf|uap[\d.]*|win\d*|wp\d*|sl\d(?:-wp\d*)?|portable-[\w+.-]+|monoandroid[\d.]*|xamarin\w+|native|any|_|dotnet[\d.]*|tizen\d*)$/i;

export const frameworkFolders: Rule = {
  id: 'dotnet/framework-folders',
  forms: ['nupkg'],
  severity: 'refuse',
  what: 'Folders in lib, ref and build are named after target frameworks, and each framework has a dependency group',
  why: 'Files in other folders are installed but never used; a framework without a group gets no dependencies',
  fix: 'Name the folders by target framework, and give each a <group> in <dependencies>',
  example: 'lib/netstandard/Fenmarsh.Tides.dll, or lib/net8.0 with a <group> for netstandard2.0 only',
  check: (artifact) => {
    const { manifest } = artifact;
    if (manifest === null) return [];
    const folders = new Map<string, string>();
    for (const { path } of filesIn(artifact)) {
      const match = /^(lib|ref|build|buildTransitive|runtimes\/[^/]+\/lib)\/([^/]+)\/./.exec(path);
      if (match !== null && match[2] !== undefined && !folders.has(`${match[1]}/${match[2]}`))
        folders.set(`${match[1]}/${match[2]}`, path);
    }
    const found: RawFinding[] = [...folders].flatMap(([folder, path]) => {
      const name = folder.split('/').at(-1) ?? '';
      // `build` may hold files and folders of any name beside those.
      return moniker.test(name) || folder.startsWith('build')
        ? []
        : [{ path, message: `${name} is not a target framework, so nothing in ${folder} is used` }];
    });
    const groups = [objectOf(manifest.json['dependencies'])['group'] ?? []]
      .flat()
      .map((group) => short(shownText(objectOf(group)['@targetFramework'] ?? '')));
    const libraries = [...folders.keys()].filter((key) => key.startsWith('lib/')).map((key) => short(key.slice(4)));
    if (groups.length > 0 && !groups.includes(''))
      for (const framework of new Set(libraries))
        if (moniker.test(framework) && !groups.includes(framework))
          found.push({
            path: manifest.path,
            message: `lib/${framework} exists, but <dependencies> has no group for it`,
            severity: 'warn',
          });
    if (libraries.length > 0)
      for (const group of groups)
        if (group !== '' && !libraries.includes(group))
          found.push({
            path: manifest.path,
            message: `<dependencies> has a group for ${group}, but lib has no folder for it`,
            severity: 'note',
          });
    return found;
  },
};

/** `.NETStandard2.0` and `.NETFramework4.6.2` as folders are called. */
function short(name: string): string {
  return name
    .toLowerCase()
    .replace(/^\.netstandard,?(?:version=v)?/, 'netstandard')
    .replace(/^\.netcoreapp,?(?:version=v)?/, 'netcoreapp')
    .replace(/^\.netframework,?(?:version=v)?([\d.]+)$/, (_, version: string) => `net${version.replaceAll('.', '')}`);
}
