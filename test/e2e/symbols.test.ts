// Symbols belong to a package: a server knows them only once it has that.
import { expect, it } from 'vitest';
import type { Fault } from '../../src/standin/fault.ts';
import { type ReleaseWorkspace, releaseWorkspace } from '../builders/release-workspace.ts';

async function withSymbols(faults: Fault[]) {
  const w = await releaseWorkspace({ faults });
  w.commit('chore: a package for .NET', {
    'bevelstone.yaml': `schema: 1
supplier: Fenmarsh Tide Office
packages:
  Fenmarsh.Tides:
    folder: tides
    ecosystem: dotnet
    artifacts: [{ form: nupkg, files: [{ from: lib }, { from: README.md }] }, { form: snupkg, files: [{ from: lib }] }]
    send-to: [office]
destinations:
  office: { speaks: nuget-v3, url: "env:NUGET", credential: "env:OFFICE_TOKEN" }
history: { first: 0.1.0 }
`,
    'tides/Fenmarsh.Tides.nuspec':
      '<?xml version="1.0"?><package xmlns="http://schemas.microsoft.com/packaging/2013/05/nuspec.xsd"><metadata><id>Fenmarsh.Tides</id><version>0.0.0</version><authors>Tide Office</authors><description>Heights</description><readme>README.md</readme><license type="expression">MIT</license></metadata></package>\n',
    'tides/README.md': '# Tides\n\nHeights of the tide.\n',
    'tides/lib/net8.0/Fenmarsh.Tides.xml': '<doc/>\n',
    'tides/lib/net8.0/Fenmarsh.Tides.pdb': 'symbols\n',
  });
  w.git('push', '--quiet');
  const run = await w.release([], { NUGET: w.standin.urlFor('nuget-v3') });
  return { w, run };
}

/** Which uploads the server took, in order. */
const taken = (w: ReleaseWorkspace) =>
  w.standin.faults.answered.flatMap((line) => /^PUT \S*?(\w+)\/? 201$/.exec(line)?.[1] ?? []);

it('are sent after their package', async () => {
  const { run, w } = await withSymbols([]);
  expect(run.error).toBeNull();
  expect(taken(w)).toEqual(['package', 'symbolpackage']);
  expect(run.stderr).toContain('nuget-v3 has no download of snupkg files');
});

it('wait when the package is refused, and follow it when the release is resumed', async () => {
  const refused = { type: 'disk-full', room: 50, method: 'PUT', times: 100 } as const;
  const { w, run } = await withSymbols([refused]);
  expect(run.exitCode).toBe(5);
  expect(taken(w)).toEqual([]);
  const symbols = run.result.releases[0].deliveries.find(({ artifact }: { artifact: string }) =>
    /snupkg/.test(artifact),
  );
  expect(symbols).toMatchObject({ state: 'pending', why: 'the package that these symbols belong to is not delivered' });

  w.standin.faults.clear();
  const resumed = await w.release(['--resume'], { NUGET: w.standin.urlFor('nuget-v3') });
  expect(resumed.error).toBeNull();
  const states = resumed.result.releases[0].deliveries.map(({ state }: { state: string }) => state);
  expect(states).toEqual(['delivered', 'delivered']);
});
