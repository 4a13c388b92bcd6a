import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { standinAddress } from '../../src/flow/trial/standin.ts';
import { bevelstoneJson, type Envelope, type Run } from '../builders/program.ts';
import { faultyProgram, type ReleaseWorkspace, releaseWorkspace } from '../builders/release-workspace.ts';

const platforms = ['linux-x64', 'linux-arm64', 'macos-arm64'];
const forPlatforms = `platforms: [${platforms.join(', ')}], build: ["echo {platform} > {out}/made-{platform}"], artifacts: [{ form: npm-tarball }, { form: tar.gz, name: "{package}-{version}-{platform}.tar.gz", files: [{ from: "{out}/made-{platform}" }] }]`;

type StoreKind = 'folder' | 'http-put' | 's3';

/** A workspace for three platforms, with a store that builds are gathered from. */
async function machines(kind: StoreKind) {
  const w = await releaseWorkspace({ destinations: ['shelf'] });
  const config = {
    folder: '{ speaks: folder, url: ../gathered }',
    'http-put': '{ speaks: http-put, url: "env:GATHERED", credential: env:OFFICE_TOKEN }',
    s3: '{ speaks: s3, url: "env:GATHERED", bucket: gathered, path-style: true, make-bucket: true, credential: { access-key: env:KEY, secret-key: env:OFFICE_TOKEN } }',
  }[kind];
  const address = kind === 'folder' ? '' : standinAddress(w.standin, kind);
  const text = readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8')
    .replace('artifacts: [{ form: npm-tarball }]', forPlatforms)
    .replace('destinations:\n', `destinations:\n  gathered: ${config}\n`);
  w.commit('build: for three platforms', { 'bevelstone.yaml': text });
  w.git('push', '--quiet');
  const env = { ...w.env, KEY: 'harbour', GATHERED: address };
  const ask = (at: ReleaseWorkspace, ...args: string[]): Promise<Envelope & Run> =>
    bevelstoneJson(args, { cwd: at.folder, env, program: faultyProgram() });
  return { w, ask, commit: w.git('rev-parse', 'HEAD'), store: path.join(w.top, 'gathered') };
}

describe('builds on several machines', () => {
  it.each<StoreKind>(['folder', 'http-put', 's3'])('are gathered through a store that speaks %s', async (kind) => {
    const { w, ask, commit } = await machines(kind);

    const built = await Promise.all(
      platforms.map((platform) =>
        ask(w.clone(`on-${platform}`), 'build', '--at', commit, '--platform', platform, '--send-built', 'gathered'),
      ),
    );
    const again = await ask(
      w.clone('again'),
      'build',
      '--at',
      commit,
      '--platform',
      'linux-x64',
      '--send-built',
      'gathered',
    );
    const joined = await ask(w, 'gather', '--from', 'gathered');
    const released = await w.release(['--hand-out'], { GATHERED: '' });

    for (const run of [...built, again, joined]) expect(run.error).toBeNull();
    expect(built[0]?.result.sent.places).toHaveLength(1);
    const [release] = joined.result.releases;
    expect(release.artifacts.map(({ platform }: { platform: string | null }) => platform)).toEqual(
      expect.arrayContaining([null, ...platforms]),
    );
    expect(release.pending).toEqual([]);
    expect(existsSync(path.join(release.folder, 'SHA256SUMS'))).toBe(true);
    expect(released.exitCode).toBe(0);
  });

  it('leaves nothing that could be taken when a machine dies before the end', async () => {
    const { w, ask, commit, store } = await machines('folder');
    await ask(w, 'build', '--platform', 'linux-x64', '--send-built', 'gathered');
    const dying = ask(
      w.clone('dying'),
      'build',
      '--at',
      commit,
      '--platform',
      'linux-arm64',
      '--send-built',
      'gathered',
    );
    await dying;
    // The record is what comes last.
    rmSync(path.join(store, 'built', commit, 'linux-arm64.json'));

    const joined = await ask(w, 'gather', '--from', 'gathered');

    expect(joined.error).toBeNull();
    const [release] = joined.result.releases;
    expect(release.pending.map(({ platform }: { platform: string }) => platform).sort()).toEqual([
      'linux-arm64',
      'macos-arm64',
    ]);
  });

  it('refuses a second build of a platform that differs, and keeps the first', async () => {
    const { w, ask, commit, store } = await machines('folder');
    await ask(w, 'build', '--platform', 'linux-x64', '--send-built', 'gathered');
    const file = path.join(store, 'built', commit, 'linux-x64.json');
    const text = readFileSync(file, 'utf8').replace(/"by": ".*"/, '"by": "another machine"');
    writeFileSync(file, text);

    const run = await ask(w, 'build', '--platform', 'linux-x64', '--send-built', 'gathered');

    expect(run.error?.code).toBe('GATHER_DIFFERS');
    expect(readFileSync(file, 'utf8')).toBe(text);
  });

  it.each([
    [
      'a file that was changed there',
      'DELIVERY_DIFFERS',
      (store: string, commit: string) => {
        const files = path.join(store, 'built', commit, 'files');
        for (const name of readdirSync(files)) writeFileSync(path.join(files, name), 'something else');
      },
    ],
    [
      'a record that was cut',
      'RELEASE_ALTERED',
      (store: string, commit: string) => {
        const file = path.join(store, 'built', commit, 'linux-x64.json');
        writeFileSync(file, readFileSync(file, 'utf8').slice(0, 500));
      },
    ],
    [
      'a record that names a file elsewhere',
      'RELEASE_ALTERED',
      (store: string, commit: string) => {
        const file = path.join(store, 'built', commit, 'linux-x64.json');
        writeFileSync(file, readFileSync(file, 'utf8').replaceAll('soundings-0.1.0.tgz', '../../../out.tgz'));
      },
    ],
    [
      'a record of another commit',
      'RELEASE_ALTERED',
      (store: string, commit: string) => {
        const file = path.join(store, 'built', commit, 'linux-x64.json');
        writeFileSync(file, readFileSync(file, 'utf8').replaceAll(commit, '0'.repeat(40)));
      },
    ],
  ])('refuses %s', async (_, code, spoil) => {
    const { w, ask, commit, store } = await machines('folder');
    await ask(w, 'build', '--platform', 'linux-x64', '--send-built', 'gathered');
    spoil(store, commit);
    rmSync(path.join(w.folder, 'bevelstone-out'), { recursive: true });

    const run = await ask(w, 'gather', '--from', 'gathered');

    expect(run.error?.code).toBe(code);
    expect(existsSync(path.join(w.top, 'out.tgz'))).toBe(false);
  });

  it.each([
    [['gather', '--from', 'gathered'], 'RELEASE_NOT_BUILT'],
    [['gather', '--from', 'gathred'], 'CONFIG_UNKNOWN_REFERENCE'],
    [['gather'], 'USAGE'],
    [['gather', '--at', 'HEAD', 'bevelstone-out'], 'USAGE'],
    [['build', '--list', '--send-built', 'gathered'], 'USAGE'],
  ])('answers %j with %s', async (args, code) => {
    const { w, ask } = await machines('folder');
    mkdirSync(path.join(w.folder, 'bevelstone-out'), { recursive: true });

    expect((await ask(w, ...args)).error?.code).toBe(code);
  });
});
