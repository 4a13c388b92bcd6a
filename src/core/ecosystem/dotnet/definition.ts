import { anyRange, type EcosystemDefinition } from '../definition.ts';

/** Packages for .NET. */
export const dotnet: EcosystemDefinition = {
  title: 'packages for .NET',
  manifests: [{ file: '{package}.nuspec', load: async () => (await import('../../manifest/nuspec.ts')).nuspecFormat }],
  scheme: 'nuget',
  shownScheme: null,
  ranges: anyRange,
  purlType: 'nuget',
  usualForms: ['nupkg'],
  client: 'dotnet',
  versionHeaders: null,
  findPlaces: async () => (await import('../../manifest/version-place/dotnet.ts')).findDotnetPlaces,
  isPrivate: () => false,
};
