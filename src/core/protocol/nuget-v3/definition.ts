import type { ProtocolDefinition } from '../definition.ts';
import { plainProtocol } from '../traits.ts';
import { nugetLines, nugetSetUp } from './nuget-lines.ts';

/** A server of .NET packages, version 3 of the protocol. */
export const nugetV3: ProtocolDefinition = {
  ...plainProtocol,
  title: '.NET packages, NuGet Server API',
  forms: ['nupkg', 'snupkg'],
  // NuGet Server API, "Push Symbol Packages": there is no resource for reading them.
  oneWay: ['snupkg'],
  bareSecret: { isUserWithPassword: false, otherwise: { type: 'header', name: 'X-NuGet-ApiKey' } },
  client: 'dotnet',
  compared: null,
  standinUrl: (served) => `${served}index.json`,
  lines: nugetLines,
  setUp: nugetSetUp,
};
