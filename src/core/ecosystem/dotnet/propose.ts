import { formsOnly, type Propose } from '../proposal.ts';

/** A project file is packed by the .NET SDK and taken as it is; a nuspec by Bevelstone. */
export const proposeDotnet: Propose = async ({ manifest }) => {
  if (manifest.endsWith('.nuspec'))
    return formsOnly(['nupkg'], ['add `files` to the nupkg: what goes below lib/, contentFiles/ or runtimes/']);
  return {
    tools: ['dotnet'],
    build: [{ run: 'dotnet pack -c Release -p:ContinuousIntegrationBuild=true', why: 'packs into bin/Release' }],
    platforms: [],
    artifacts: ['{ form: nupkg, brought: "bin/Release/*.nupkg" }'],
    notes: [],
  };
};
