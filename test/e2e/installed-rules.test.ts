// Rules that see more once a package is installed with all that it needs: the same in every clone.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect } from 'vitest';
import { bevelstoneJson } from '../builders/program.ts';
import { type ReleaseWorkspace, releaseWorkspace } from '../builders/release-workspace.ts';
import { itWith } from '../builders/tools.ts';

const manifest = (name: string, more: object) =>
  `${JSON.stringify({ name, version: '0.0.0', description: 'Heights', license: 'MIT', repository: 'https://git.fenmarsh.example/tides', type: 'module', ...more }, null, 2)}\n`;

/** A workspace that needs the almanac of another one. */
async function withAlmanac({ code, licence, verify = '' }: { code: string; licence: string; verify?: string }) {
  const almanac = await releaseWorkspace({ packages: ['almanac'] });
  almanac.commit('feat: tables', {
    'almanac/package.json': manifest('almanac', { license: licence, exports: './depth.js' }),
    'almanac/depth.js': code,
  });
  almanac.git('push', '--quiet');
  expect((await almanac.release()).error).toBeNull();
  const w = await releaseWorkspace({ more: 'rehearse: { upstream: "env:ALMANAC" }\n' });
  const config = path.join(w.folder, 'bevelstone.yaml');
  const entry = { types: './depth.d.ts', browser: './depth.js', default: './depth.js' };
  w.commit('feat: from the almanac', {
    'bevelstone.yaml': readFileSync(config, 'utf8').replace('artifacts:', `${verify}artifacts:`),
    'soundings/package.json': manifest('soundings', {
      dependencies: { almanac: '^0.1.0' },
      exports: { '.': entry },
    }),
    'soundings/depth.js': "export { depth } from 'almanac';\n",
    'soundings/depth.d.ts': 'export declare const depth: number;\n',
  });
  w.git('push', '--quiet');
  return { w, env: { ALMANAC: almanac.env['OFFICE'] ?? '' } };
}

async function verified(w: ReleaseWorkspace) {
  const options = { cwd: w.folder, env: w.env };
  await bevelstoneJson(['build'], options);
  return bevelstoneJson(['verify'], options);
}

itWith('npm')('a browser entry that reaches Node.js through a dependency stops a release before the push', async () => {
  const code = "import 'node:fs';\nexport const depth = 4;\n";
  const { w, env } = await withAlmanac({ code, licence: 'MIT' });
  const released = await w.release([], env);

  expect([released.exitCode, released.error?.code]).toEqual([5, 'TRIAL_FAILED']);
  expect(released.error?.why).toContain(
    'the browser entry . reaches node:fs: depth.js > almanac/depth.js > node:fs [node/browser-built-in]',
  );
  expect(w.git('ls-remote', 'origin', 'refs/tags/*')).toBe('');
});

itWith('npm')('a licence that only the registry knows stands in the SBOM of the release', async () => {
  const { w, env } = await withAlmanac({ code: 'export const depth = 4;\n', licence: 'ISC' });
  const lock = {
    lockfileVersion: 3,
    packages: { '': { dependencies: { almanac: '^0.1.0' } }, 'node_modules/almanac': { version: '0.1.0' } },
  };
  w.commit('build: a lockfile', { 'soundings/package-lock.json': JSON.stringify(lock) });
  w.git('push', '--quiet');
  expect((await w.release([], env)).error).toBeNull();
  const folder = path.join(w.folder, 'bevelstone-out/soundings-0.1.0');
  const sbom = JSON.parse(readFileSync(path.join(folder, 'soundings-0.1.0.cdx.json'), 'utf8'));
  const record = JSON.parse(readFileSync(path.join(folder, 'release.json'), 'utf8'));
  const lines = await bevelstoneJson(['ledger', 'lines', 'soundings'], { cwd: w.folder, env: { ...w.env, ...env } });

  expect(sbom.components).toContainEqual(
    expect.objectContaining({ name: 'almanac', licenses: [{ license: { id: 'ISC' } }] }),
  );
  expect(lines.result.sboms.map(({ sha256 }: { sha256: string }) => sha256).sort()).toEqual(
    record.sboms.map(({ sha256 }: { sha256: string }) => sha256).sort(),
  );
});

itWith('npm')('what lies in the node_modules of a clone changes neither findings nor SBOMs', async () => {
  const { w } = await withAlmanac({ code: 'export const depth = 4;\n', licence: 'MIT' });
  const before = await verified(w);
  const folder = path.join(w.folder, 'bevelstone-out/soundings-0.1.0');
  const sbom = async () => {
    await bevelstoneJson(['sbom', 'write'], { cwd: w.folder, env: w.env });
    return readFileSync(path.join(folder, 'soundings-0.1.0.spdx.json'), 'utf8');
  };
  const alone = await sbom();
  mkdirSync(path.join(w.folder, 'node_modules/almanac'), { recursive: true });
  writeFileSync(
    path.join(w.folder, 'node_modules/almanac/package.json'),
    '{"name":"almanac","version":"0.1.0","license":"AGPL-3.0-only","main":"a.js"}',
  );
  writeFileSync(path.join(w.folder, 'node_modules/almanac/a.js'), "require('fs');\n");

  const findings = (run: Awaited<ReturnType<typeof bevelstoneJson>>) => run.result.artifacts[0].findings;
  expect(findings(await verified(w))).toEqual(findings(before));
  expect(JSON.stringify(findings(before))).toContain('almanac, imported by depth.js for browsers, was not checked');
  expect(await sbom()).toBe(alone);
  expect(alone).not.toContain('AGPL');
});

itWith('npm')('a licence that no lockfile names is read where the dependency is installed', async () => {
  const policy = 'verify: { licences: { refuse: ["AGPL-*"] } }, ';
  const { w, env } = await withAlmanac({ code: 'export const depth = 4;\n', licence: 'AGPL-3.0-only', verify: policy });
  const released = await w.release([], env);

  expect(released.error?.code).toBe('TRIAL_FAILED');
  expect(released.error?.why).toContain('almanac has the licence AGPL-3.0-only, which is refused');
});
