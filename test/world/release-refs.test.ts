import { execFileSync } from 'node:child_process';
import { chmodSync, mkdirSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { askVerdict, pushRelease } from '../../src/world/git/push-release.ts';
import { makeCommitObject } from '../../src/world/git/release-commit.ts';
import { readAnchors, tagObject } from '../../src/world/git/remote-tags.ts';
import { openRepository } from '../../src/world/git/repository.ts';
import { checkOut } from '../../src/world/git/worktree.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';

const env = testEnvironment();

/** A repository with a bare remote that has its branch and a ledger. */
async function withRemote() {
  const own = new TestRepository({ 'depth.js': 'export const depth = 4;\n' });
  const remote = temporaryFolder();
  execFileSync('git', ['init', '--quiet', '--bare', '--initial-branch=main', remote]);
  own.git('remote', 'add', 'origin', remote);
  own.checkOut();
  own.git('update-ref', 'refs/bevelstone/ledger', own.commit('Plan', { files: { 'plan.json': '{}' } }));
  own.git('push', '--quiet', 'origin', 'main', 'refs/bevelstone/ledger');
  const repository = await openRepository(own.folder, env);
  const tagAt = async (name: string, commit: string) => {
    own.git('tag', '-a', '-m', `release ${name}`, name, commit);
    return { name, id: await tagObject(repository.place, name) };
  };
  return { own, remote, repository, tagAt };
}

describe('the push of a release', () => {
  it('is won when the remote took all of it, and asked again says the same', async () => {
    const { own, repository, tagAt } = await withRemote();
    const from = own.head;
    const to = own.commit('Record 1.0.0', { files: { 'depth.js': 'export const depth = 5;\n' } });
    const push = { remote: 'origin', branch: { name: 'main', from, to }, tags: [await tagAt('v1.0.0', to)] };

    expect(await askVerdict(repository.place, push)).toBe('absent');
    expect(await pushRelease(repository, push)).toBe('won');
    expect(await askVerdict(repository.place, push)).toBe('won');
    expect(own.git('ls-remote', 'origin', 'refs/heads/main')).toContain(to);
  });

  it('is lost when the tag exists already, and leaves nothing behind', async () => {
    const { own, repository, tagAt } = await withRemote();
    const from = own.head;
    own.git('push', '--quiet', 'origin', `${from}:refs/tags/v1.0.0`);
    const to = own.commit('Record 1.0.0', { files: { 'depth.js': 'export const depth = 5;\n' } });
    const push = { remote: 'origin', branch: { name: 'main', from, to }, tags: [await tagAt('v1.0.0', to)] };

    expect(await pushRelease(repository, push)).toBe('lost');
    expect(own.git('ls-remote', 'origin', 'refs/heads/main')).toContain(from);
  });

  it('is stale when the branch went on, and nothing of it is there', async () => {
    const { own, repository, tagAt } = await withRemote();
    const from = own.head;
    const theirs = own.commit('fix: theirs', { files: { 'other.js': '' } });
    own.git('push', '--quiet', 'origin', 'main');
    own.git('update-ref', 'refs/heads/main', from);
    const to = own.commit('Record 1.0.0', { files: { 'depth.js': 'export const depth = 5;\n' } });
    const push = { remote: 'origin', branch: { name: 'main', from, to }, tags: [await tagAt('v1.0.0', to)] };

    expect(await pushRelease(repository, push)).toBe('stale');
    expect(own.git('ls-remote', 'origin')).not.toContain('v1.0.0');
    expect(own.git('ls-remote', 'origin', 'refs/heads/main')).toContain(theirs);
  });

  it('reports the words of a remote that refuses it', async () => {
    const { own, remote, repository, tagAt } = await withRemote();
    writeFileSync(path.join(remote, 'hooks/pre-receive'), '#!/bin/sh\necho "main is protected" >&2; exit 1\n', {
      mode: 0o755,
    });
    const from = own.head;
    const to = own.commit('Record 1.0.0', { files: { 'depth.js': 'export const depth = 5;\n' } });
    const push = { remote: 'origin', branch: { name: 'main', from, to }, tags: [await tagAt('v1.0.0', to)] };

    await expect(pushRelease(repository, push)).rejects.toMatchObject({
      code: 'REMOTE_REFUSED',
      fix: expect.stringContaining('write-back.commit'),
    });
  });
});

describe('a commit made as an object', () => {
  const parts = { message: 'Record 1.0.0', time: 1_795_000_000 };

  it('contains only the selected changes, with modes, links and deletions, and is the same each time', async () => {
    const own = new TestRepository({ 'a.txt': 'a\n', 'b.txt': 'b\n', 'run.sh': '#!/bin/sh\n', 'gone.txt': 'gone\n' });
    own.checkOut();
    const repository = await openRepository(own.folder, env);
    const refs = own.git('for-each-ref');
    const make = async () => {
      const checkout = await checkOut(repository, own.head, 'test-');
      try {
        const at = (file: string) => path.join(checkout.folder, file);
        writeFileSync(at('a.txt'), 'changed\n');
        writeFileSync(at('noise.txt'), 'noise\n');
        mkdirSync(at('new'));
        writeFileSync(at('new/file name.txt'), 'new\n');
        chmodSync(at('run.sh'), 0o755);
        symlinkSync('a.txt', at('link'));
        rmSync(at('gone.txt'));
        const takes = (file: string) => file !== 'noise.txt';
        return await makeCommitObject(repository, { ...parts, parent: own.head, checkout: checkout.folder, takes });
      } finally {
        await checkout.remove();
      }
    };

    const [first, second] = [await make(), await make()];

    expect(second).toEqual(first);
    expect(
      own
        .git('ls-tree', '-r', '--format=%(objectmode) %(path)', first?.commit ?? '')
        .split('\n')
        .sort(),
    ).toEqual(['100644 a.txt', '100644 b.txt', '100644 new/file name.txt', '100755 run.sh', '120000 link']);
    expect(own.git('show', `${first?.commit}:a.txt`)).toBe('changed');
    expect([own.git('for-each-ref'), own.git('status', '--porcelain')]).toEqual([refs, '']);
  });

  it('is none when nothing that counts was changed', async () => {
    const own = new TestRepository({ 'a.txt': 'a\n' });
    const repository = await openRepository(own.folder, env);
    const checkout = await checkOut(repository, own.head, 'test-');
    writeFileSync(path.join(checkout.folder, 'noise.txt'), 'noise\n');

    const made = await makeCommitObject(repository, {
      ...parts,
      parent: own.head,
      checkout: checkout.folder,
      takes: () => false,
    });

    expect(made).toBeNull();
    await checkout.remove();
  });
});

it('reads the plan behind each tag, whatever the tags before it hold', async () => {
  const { own, repository } = await withRemote();
  const plan = 'a'.repeat(64);
  const signed = `board 1.1.0\n\nBevelstone-Run: ${'b'.repeat(32)}\nBevelstone-Plan: ${plan}`;
  own.git('tag', 'a-lightweight');
  own.git('tag', '-a', '-m', 'one line', 'b-short');
  own.git('tag', '-a', '-m', signed, 'board/1.1.0');
  own.git('tag', '-a', '-m', 'c', 'c-empty');
  own.git('tag', '-a', '-m', signed, 'lamps/1.1.0');
  // As git leaves them: a signature behind the message, and notes that hold what looks like one.
  const begin = '-----BEGIN SSH SIGNATURE-----';
  own.git('tag', '-a', '-m', `${signed}\n${begin}\nAAAA\n-----END SSH SIGNATURE-----`, 'signed/1.1.0');
  own.git('tag', '-a', '-m', `quoted 1.1.0\n\n${begin}\n${signed}`, 'quoted/1.1.0');
  own.git('tag', '-a', '-m', `${signed.slice(signed.indexOf('Bevelstone'))}`, 'subject/1.1.0');
  own.git('tag', '-a', '-m', 'a blob', 'blob/1.1.0', 'HEAD:depth.js');
  const names = ['a-lightweight', 'b-short', 'board/1.1.0', 'c-empty', 'lamps/1.1.0', 'nowhere'];
  const odd = ['signed/1.1.0', 'quoted/1.1.0', 'subject/1.1.0', 'blob/1.1.0'];

  const found = await readAnchors(repository.place, names);
  expect([...found].map(([name, anchor]) => [name, anchor.plan])).toEqual([
    ['a-lightweight', null],
    ['b-short', null],
    ['board/1.1.0', plan],
    ['c-empty', null],
    ['lamps/1.1.0', plan],
  ]);
  expect(new Set([...found.values()].map(({ commit }) => commit))).toEqual(new Set([own.head]));
  const others = await readAnchors(repository.place, odd);
  expect(odd.map((name) => others.get(name)?.plan)).toEqual([plan, null, null, null]);
  expect(others.get('blob/1.1.0')?.commit).not.toBe(own.head);
});
