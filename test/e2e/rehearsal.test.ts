// What a new user would see, before any upload.
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { bevelstoneJson } from '../builders/program.ts';
import { type ReleaseWorkspace, releaseWorkspace } from '../builders/release-workspace.ts';
import { itWith } from '../builders/tools.ts';

function stepsOf(run: Awaited<ReturnType<typeof bevelstoneJson>>): { state: string; why: string | null }[] {
  return run.result.releases.flatMap(({ steps }: { steps: { state: string; why: string | null }[] }) => steps);
}

async function builtAndRehearsed(w: ReleaseWorkspace, names: readonly string[] = []) {
  const chosen = names.flatMap((name) => ['-p', name]);
  const options = { cwd: w.folder, env: w.env };
  const built = await bevelstoneJson(['build', ...chosen], options);
  expect(built.error).toBeNull();
  return bevelstoneJson(['rehearse', ...chosen], options);
}

/** Adds keys to the one package of the configuration. */
function configure(w: ReleaseWorkspace, keys: string): void {
  const config = path.join(w.folder, 'bevelstone.yaml');
  const text = readFileSync(config, 'utf8').replace('artifacts: [{ form: npm-tarball }]', `$&, ${keys}`);
  w.commit('chore: try it', { 'bevelstone.yaml': text });
}

const manifest = (more: object) =>
  `${JSON.stringify({ name: 'board', version: '0.0.0', description: 'Heights', license: 'MIT', repository: 'https://git.fenmarsh.example/tides', type: 'module', exports: './depth.js', ...more }, null, 2)}\n`;

itWith('npm')('a dependent is rehearsed alone, with what it needs from the ledger', async () => {
  const w = await releaseWorkspace({ packages: ['lamps', 'board'] });
  w.commit('feat: lamps on the board', { 'board/package.json': manifest({ dependencies: { lamps: '*' } }) });
  w.git('push', '--quiet');
  expect((await w.release(['-p', 'lamps'])).error).toBeNull();
  w.git('pull', '--quiet');

  const released = await w.release(['-p', 'board']);
  expect(released.error).toBeNull();
  await w.standin.close();
  w.commit('fix: board', { 'board/depth.js': 'export const depth = 5;\n' });
  const without = await builtAndRehearsed(w, ['board']);
  expect(stepsOf(without)).toEqual([
    expect.objectContaining({ state: 'not-here', why: expect.stringContaining('it needs lamps (0.1.0 could not be') }),
  ]);
});

it('every package with a destination is rehearsed, and the card says what was not', async () => {
  const w = await releaseWorkspace();
  w.commit('feat: from elsewhere', {
    'soundings/package.json': manifest({ name: 'soundings', dependencies: { elsewhere: '^1.0.0' } }),
  });
  w.git('push', '--quiet');
  const run = await w.release(['--dry-run']);

  expect(run.error).toBeNull();
  expect(run.stderr).toMatch(/rehearsed +soundings: npm: not rehearsed, elsewhere comes from elsewhere/);
});

itWith('npm')('a trial may start a server, which is stopped again', async () => {
  const server = "require('node:http').createServer((_, r) => r.end('high water')).listen({port})";
  const trial = (until: string) =>
    `trial: [{ start: "node -e \\"${server}\\"", until: "${until}", run: "node -e \\"fetch('http://127.0.0.1:{port}/').then((a) => a.text()).then((t) => process.exit(t === 'high water' ? 0 : 1))\\"" }]`;
  const w = await releaseWorkspace();
  configure(w, trial('http://127.0.0.1:{port}/'));
  expect(stepsOf(await builtAndRehearsed(w))).toEqual([expect.objectContaining({ state: 'installed' })]);
});

itWith('npm')('a server that ends before it answers is reported with its last words', async () => {
  const w = await releaseWorkspace();
  configure(w, 'trial: [{ start: "echo no tide; exit 3", until: "http://127.0.0.1:{port}/", run: "true" }]');

  const [step] = stepsOf(await builtAndRehearsed(w));
  expect(step).toMatchObject({ state: 'failed', why: expect.stringMatching(/ended with 3 before .*: no tide/) });
});

itWith('npm')('names outside the workspace come from the address in a variable', async () => {
  const w = await releaseWorkspace();
  const config = path.join(w.folder, 'bevelstone.yaml');
  w.commit('chore: upstream', {
    'bevelstone.yaml': `${readFileSync(config, 'utf8')}rehearse: { upstream: "env:UPSTREAM" }\n`,
  });
  await bevelstoneJson(['build'], { cwd: w.folder, env: w.env });

  const unset = await bevelstoneJson(['rehearse'], { cwd: w.folder, env: w.env });
  expect(unset.error?.code).toBe('ENVIRONMENT_MISSING');
  const set = await bevelstoneJson(['rehearse'], { cwd: w.folder, env: { ...w.env, UPSTREAM: w.env['OFFICE'] ?? '' } });
  expect(set.error).toBeNull();
});

itWith(
  'dpkg',
  'dpkg-deb',
  'curl',
)('a Debian package is installed into a root of its own', async () => {
  const w = await releaseWorkspace({ destinations: ['shelf'] });
  const config = path.join(w.folder, 'bevelstone.yaml');
  const deb =
    '{ form: deb, files: [{ from: depth.js, to: usr/share/soundings }], control: { Maintainer: "Harbour desk <harbour@fenmarsh.example>", Description: "Depths" } }';
  const text = readFileSync(config, 'utf8');
  writeFileSync(
    config,
    text.replace('{ form: npm-tarball }', deb).replace('artifacts:', 'ecosystem: native, artifacts:'),
  );
  w.commit('chore: a Debian package', {});
  const run = await builtAndRehearsed(w);

  expect(run.error).toBeNull();
  expect(stepsOf(run)).toEqual([expect.objectContaining({ state: 'installed', client: 'fetch' })]);
});

it('a release at a store that only members may read is confirmed with the credential, and lines name the site of a folder', async () => {
  const w = await releaseWorkspace({ destinations: ['upstairs', 'shelf'], isPrivate: true });
  const config = path.join(w.folder, 'bevelstone.yaml');
  const text = readFileSync(config, 'utf8').replace(
    'url: ../shelf',
    'url: ../shelf, index-url: "https://shelf.fenmarsh.example/tides/"',
  );
  w.commit('chore: the shelf is served', { 'bevelstone.yaml': text });
  w.git('push', '--quiet');
  expect((await w.release()).error).toBeNull();
  const options = { cwd: w.folder, env: w.env };

  const confirmed = await bevelstoneJson(['confirm', '--within', '5 s'], options);
  const upstairs = confirmed.result.releases[0].steps.find(
    ({ destination }: { destination: string }) => destination === 'upstairs',
  );
  expect(upstairs.state).toMatch(/installed|unpacked/);
  const { result } = await bevelstoneJson(['ledger', 'lines', 'soundings@0.1.0'], options);
  const texts = JSON.stringify(result.lines);
  expect(texts).toContain('https://shelf.fenmarsh.example/tides/soundings/0.1.0/soundings-0.1.0.tgz');
  expect(texts).not.toContain(w.top);
});

it('a release that was taken back is named so, and its pointers can be moved', async () => {
  const w = await releaseWorkspace();
  expect((await w.release()).error).toBeNull();
  w.git('pull', '--quiet');
  w.commit('feat: more depths', { 'soundings/depth.js': 'export const depth = 6;\n' });
  w.git('push', '--quiet');
  const second = await w.release(['--because', 'Harbour asked']);
  const { version } = second.result.releases[0];
  const name = `soundings@${version}`;
  const options = { cwd: w.folder, env: w.env };
  const withdraw = (...more: string[]) =>
    bevelstoneJson(['withdraw', name, '--from', 'office', '--reason', 'An hour late', '--yes', ...more], options);

  const shown = await bevelstoneJson(['ledger', 'show', name], options);
  expect(shown.result.reasons.join()).toContain('Harbour asked');
  const [change] = shown.result.changes;
  expect([shown.result.changes.length, change.summary]).toEqual([1, 'more depths']);

  const wrong = await withdraw('--fall-back-to', '0.7.0');
  expect(wrong.error?.message).toBe('office does not have soundings 0.7.0');
  const back = await withdraw('--fall-back-to', 'previous');
  expect(back.result).toMatchObject({ how: 'deprecated', fallBackTo: '0.1.0', pointers: ['latest'] });
  const office = w.env['OFFICE'] ?? '';
  const document = (await (await fetch(`${office}soundings`)).json()) as { 'dist-tags': Record<string, string> };
  expect(document['dist-tags']['latest']).toBe('0.1.0');

  const lines = await bevelstoneJson(['ledger', 'lines', name], options);
  expect(lines.result).toMatchObject({ lines: [], withdrawals: [expect.objectContaining({ reason: 'An hour late' })] });
  const status = await bevelstoneJson([], options);
  expect(status.result.last).toEqual([expect.objectContaining({ version, withdrawn: ['office'], stream: 'stable' })]);
  expect((await withdraw()).error?.code).toBe('NOTHING_TO_RELEASE');
  expect((await withdraw('--erase')).result.how).toBe('deleted');
});
