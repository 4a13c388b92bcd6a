import { anyRange, type EcosystemDefinition } from '../definition.ts';

/** Packages for .NET. */
export const dotnet: EcosystemDefinition = {
  title: 'packages for .NET',
  manifests: [
    { file: '{package}.nuspec', load: async () => (await import('../../manifest/nuspec.ts')).nuspecFormat },
    ...['cs', 'fs', 'vb'].map((language) => ({
      file: `{package}.${language}proj`,
      load: async () => (await import('../../manifest/build-files.ts')).dotnetProjectFormat,
    })),
  ],
  scheme: 'nuget',
  shownScheme: null,
  ranges: anyRange,
  purlType: 'nuget',
  usualTest: 'dotnet test',
  shortName: (name) => name,
  usualForms: ['nupkg'],
  limits: [],
  propose: async () => (await import('./propose.ts')).proposeDotnet,
  usualDestination: { speaks: 'nuget-v3', path: 'nuget/index.json' },
  client: 'dotnet',
  takeBack: null,
  tagsRead: null,
  versionHeaders: null,
  findPlaces: async () => (await import('../../manifest/version-place/dotnet.ts')).findDotnetPlaces,
  isPrivate: (text) => /<IsPackable>\s*false|Microsoft\.NET\.Test\.Sdk|<OutputType>\s*(?:Exe|WinExe)/i.test(text),
  forbids: (text) => (/<IsPackable>\s*false/i.test(text) ? '`IsPackable` is false' : null),
};
