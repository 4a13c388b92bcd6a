// What is in an artifact, as a branch and tags that git itself and the clients of languages take.
import { execFile, execFileSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { promisify } from 'node:util';
import { describe, expect, it } from 'vitest';
import { startGitServer } from '../builders/git-server.ts';
import { bevelstoneJson } from '../builders/program.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';

const { PATH = '' } = process.env;

/** A package whose repository has much more than its users need, and a repository that gets what they need. */
async function workspace(more: object = {}, dist: object = {}) {
  const top = temporaryFolder();
  const [remote, trees] = [path.join(top, 'tides.git'), path.join(top, 'dist.git')];
  for (const folder of [remote, trees])
    execFileSync('git', ['init', '--quiet', '--bare', '--initial-branch=main', folder], { env: testEnvironment() });
  const about = { description: 'Soundings', license: 'MIT', main: 'dist/sound.js', files: ['dist'] };
  const config = {
    schema: 1,
    packages: {
      sound: {
        folder: 'packages/sound',
        build: ['mkdir dist && cp src/sound.js dist/ && cp src/tool.sh dist/ && chmod +x dist/tool.sh'],
        artifacts: [{ form: 'npm-tarball' }],
        'send-to': ['trees'],
        ...more,
      },
    },
    destinations: { trees: { speaks: 'git-tree', url: trees, ...dist } },
  };
  const repository = new TestRepository(
    {
      'bevelstone.yaml': JSON.stringify(config),
      'packages/sound/package.json': JSON.stringify({ name: 'sound', version: '0.0.0', ...about }),
      'packages/sound/README.md': '# Sound\n\nHow deep it is, at the bar and at the quay.\n',
      'packages/sound/LICENSE': 'MIT License\n\nCopyright (c) 2026 Fenmarsh Tide Office\n',
      'packages/sound/src/sound.js': 'module.exports = 42;\n',
      'packages/sound/src/tool.sh': '#!/bin/sh\necho tide\n',
      '.gitattributes': '*.sh text eol=crlf\n',
      '.gitignore': 'bevelstone-out/\n',
    },
    'feat: soundings',
  );
  repository.git('reset', '--quiet', '--hard');
  repository.git('remote', 'add', 'origin', remote);
  repository.git('push', '--quiet', '--set-upstream', 'origin', 'main');
  const at = { cwd: repository.folder };
  const inTrees = (...args: string[]) =>
    execFileSync('git', args, {
      cwd: trees,
      env: testEnvironment(),
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'pipe'],
    }).trim();
  const release = () => bevelstoneJson(['release', '--yes', '--trust-config'], at);
  return { top, repository, trees, at, inTrees, release };
}

describe('a tree in a git repository', () => {
  it('has what is in the artifact and nothing else, one commit for each release, each with its source', async () => {
    const { repository, inTrees, release, at } = await workspace();

    const first = await release();
    repository.git('fetch', '--quiet', 'origin');
    repository.git('reset', '--quiet', '--hard', 'origin/main');
    repository.commit('fix: deeper', { files: { 'packages/sound/src/sound.js': 'module.exports = 43;\n' } });
    repository.git('reset', '--quiet', '--hard');
    const second = await release();

    expect([first.error, second.error]).toEqual([null, null]);
    expect(first.result.releases[0].deliveries).toMatchObject([{ state: 'delivered', confirmed: 'entries' }]);
    const branch = 'refs/heads/dist/sound';
    expect(inTrees('ls-tree', '-r', '--name-only', branch).split('\n')).toEqual([
      'LICENSE',
      'README.md',
      'dist/sound.js',
      'dist/tool.sh',
      'package.json',
    ]);
    // As it is in the artifact: its mode, and the line ends that upstream's attributes would change.
    expect(inTrees('ls-tree', branch, 'dist/tool.sh')).toMatch(/^100755 /);
    expect(inTrees('cat-file', 'blob', `${branch}:dist/tool.sh`)).toContain('\r\n');
    expect(inTrees('log', '--format=%s', branch).split('\n')).toEqual(['sound 0.1.1', 'sound 0.1.0']);
    const commit = second.result.releases[0].commit;
    expect(inTrees('log', '-1', '--format=%(trailers:key=Source-Commit,valueonly)', branch)).toBe(commit);
    expect(inTrees('for-each-ref', '--format=%(refname)', 'refs/tags').split('\n')).toEqual([
      'refs/tags/dist/sound/0.1.0',
      'refs/tags/dist/sound/0.1.1',
    ]);
    expect(inTrees('rev-parse', 'refs/tags/dist/sound/0.1.1')).toBe(inTrees('rev-parse', branch));
    const confirmed = await bevelstoneJson(['confirm', 'sound@0.1.1'], at);
    expect(confirmed.error).toBeNull();
    expect(confirmed.result.releases[0].steps).toMatchObject([{ client: 'git', state: 'unpacked' }]);
  });

  it('is the same one wherever it is made', async () => {
    const [a, b] = [await workspace(), await workspace()];

    await Promise.all([a.release(), b.release()]);

    expect(a.inTrees('rev-parse', 'refs/heads/dist/sound^{tree}')).toBe(
      b.inTrees('rev-parse', 'refs/heads/dist/sound^{tree}'),
    );
  });

  it('is installed from there by npm, by the line that is printed, from a server over the web', async () => {
    const { top, at, release, inTrees } = await workspace();
    const url = await startGitServer(top);
    const probed = await bevelstoneJson(['probe'], at);
    await release();
    // npm asks for it before it looks at any tag.
    inTrees('symbolic-ref', 'HEAD', 'refs/heads/dist/sound');
    const config = JSON.parse(execFileSync('git', ['show', 'HEAD:bevelstone.yaml'], { cwd: at.cwd, encoding: 'utf8' }));
    config.destinations.trees['index-url'] = `${url}dist.git`;
    writeFileSync(path.join(at.cwd, 'bevelstone.yaml'), JSON.stringify(config));
    const { result } = await bevelstoneJson(['ledger', 'lines', 'sound'], at);
    const lines = new Map<string, string>(
      result.lines.map((line: { client: string; text: string }) => [line.client, line.text]),
    );
    const visitor = path.join(top, 'visitor');
    mkdirSync(visitor);
    const run = async (text: string) =>
      promisify(execFile)('sh', ['-c', text], { cwd: visitor, env: { PATH, HOME: visitor }, encoding: 'utf8' });

    const installed = await run(
      `${lines.get('npm')} --no-audit --no-fund && node -p "require('sound')" && ls node_modules/sound`,
    );
    const cloned = await run(`${lines.get('git')} && ls sound-0.1.0`);

    expect(JSON.stringify(probed.result)).toContain('its HEAD leads to no branch');
    expect(installed.stdout).toMatch(/42\nLICENSE\nREADME.md\ndist\npackage.json\n$/);
    expect(cloned.stdout).toBe('LICENSE\nREADME.md\ndist\npackage.json\n');
  });

  it('is rehearsed in a repository that goes away', async () => {
    const { at, inTrees } = await workspace();
    await bevelstoneJson(['build'], at);

    const { error, result } = await bevelstoneJson(['rehearse'], at);

    expect(error).toBeNull();
    expect(result.releases[0].steps).toMatchObject([{ client: 'git', state: 'unpacked' }]);
    expect(inTrees('for-each-ref')).toBe('');
  });

  it('never replaces anything: a tag that is there, a branch of somebody else', async () => {
    const { trees, inTrees, release, at } = await workspace();
    const empty = inTrees('hash-object', '-t', 'tree', '-w', '/dev/null');
    const env = testEnvironment();
    const other = execFileSync('git', ['commit-tree', empty, '-m', 'theirs'], {
      cwd: trees,
      env,
      encoding: 'utf8',
    }).trim();
    inTrees('update-ref', 'refs/heads/dist/sound', other);
    inTrees('update-ref', 'refs/tags/dist/sound/0.1.0', other);

    const refused = await release();
    const probed = await bevelstoneJson(['probe'], at);
    inTrees('update-ref', '-d', 'refs/tags/dist/sound/0.1.0');
    const { error } = await release();

    expect(refused.error).toMatchObject({ code: 'GATES_REFUSED' });
    expect(refused.error?.why).toContain('sound 0.1.0 is at trees already');
    expect(probed.result.destinations[0].packages).toMatchObject([{ versionState: 'there' }]);
    // What was there on the branch is kept below the release.
    expect(error).toBeNull();
    expect(inTrees('rev-parse', 'refs/heads/dist/sound^')).toBe(other);
  });

  it('keeps the releases of publishers that push at the same moment', async () => {
    const { trees, inTrees, repository, at } = await workspace({ artifacts: [{ form: 'npm-tarball' }] });
    await bevelstoneJson(['build'], at);
    const second = await workspace({ tag: 'other/{version}' }, { url: trees, under: 'second/{version}' });

    const results = await Promise.all([
      bevelstoneJson(['release', '--yes', '--trust-config'], { cwd: repository.folder }),
      bevelstoneJson(['release', '--yes', '--trust-config'], second.at),
    ]);

    expect(results.map(({ error }) => error)).toEqual([null, null]);
    expect(inTrees('for-each-ref', '--format=%(refname)', 'refs/tags').split('\n')).toEqual([
      'refs/tags/dist/sound/0.1.0',
      'refs/tags/second/0.1.0',
    ]);
    expect(inTrees('rev-list', '--count', 'refs/heads/dist/sound')).toBe('2');
  });

  it.each([
    ['a repository that is not there', { url: '/nowhere/dist.git' }, 'does not appear to be a git repository'],
    ['a command in place of an address', { url: 'ext::sh -c touch% /tmp/bevelstone-ran' }, 'not the address'],
    ['an option in place of an address', { url: '--upload-pack=touch' }, 'not the address'],
  ])('is refused at %s', async (_, dist, said) => {
    const { release } = await workspace({}, dist);

    const { error } = await release();

    expect(error).not.toBeNull();
    expect(JSON.stringify(error)).toContain(said);
  });

  it('is one of one artifact', async () => {
    const { release } = await workspace(
      { artifacts: [{ form: 'npm-tarball' }, { form: 'tar.gz', files: [{ from: 'dist' }] }] },
      { takes: ['npm-tarball', 'tar.gz'] },
    );

    const { error } = await release();

    expect(JSON.stringify(error)).toContain('takes one artifact of a release');
  });

  it('cannot be taken back by force', async () => {
    const { release, at, inTrees } = await workspace();
    await release();
    const before = inTrees('for-each-ref');

    const { error } = await bevelstoneJson(
      ['withdraw', 'sound@0.1.0', '--from', 'trees', '--reason', 'wrong depth', '--yes'],
      at,
    );

    expect(error).toMatchObject({ code: 'WITHDRAW_IMPOSSIBLE' });
    expect(inTrees('for-each-ref')).toBe(before);
  });
});
