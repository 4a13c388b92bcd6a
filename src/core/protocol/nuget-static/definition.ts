import type { ProtocolDefinition } from '../definition.ts';
import { nugetLines, nugetSetUp } from '../nuget-v3/nuget-lines.ts';
import { plainProtocol, tokenOrUser, withSlash } from '../traits.ts';

/** The resources of a NuGet server that can be files. */
export const nugetStaticProtocol: ProtocolDefinition = {
  ...plainProtocol,
  title: 'static feed of .NET packages (NuGet Server API 3)',
  forms: ['nupkg'],
  bareSecret: tokenOrUser,
  client: 'dotnet',
  compared: null,
  readerUrl: (url) => `${withSlash(url)}index.json`,
  lines: nugetLines,
  setUp: nugetSetUp,
};
