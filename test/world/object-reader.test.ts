// Questions to the git process that is kept running.
import { execFileSync } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { readObject, readObjects } from '../../src/world/git/object-reader.ts';
import type { GitPlace } from '../../src/world/git/run-git.ts';
import { TestRepository, testEnvironment } from '../builders/repository.ts';

function place(r: TestRepository): GitPlace {
  return { folder: r.folder, env: testEnvironment() };
}

/** Processes that are `git cat-file --batch` in a folder. */
function readersIn(folder: string): number[] {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .map(Number)
    .filter((id) => {
      try {
        const line = readFileSync(`/proc/${id}/cmdline`, 'utf8');
        return line.includes('cat-file') && readFileSync(`/proc/${id}/environ`, 'utf8').includes(`PWD=${folder}`);
      } catch {
        return false;
      }
    });
}

describe('objects', () => {
  const large = 'low water\n'.repeat(90_000);

  it.each([
    ['HEAD^{commit}', 'commit'],
    ['HEAD:depth.js', 'blob'],
    ['HEAD:large.txt', 'blob'],
    ['HEAD:empty.txt', 'blob'],
    ['HEAD:a file.txt', 'blob'],
    ['refs/tags/1.0.0^{tag}', 'tag'],
    ['refs/tags/plain^{tag}', null],
    ['refs/tags/plain^{commit}', 'commit'],
    ['HEAD:missing.js', null],
    ['HEAD:x blob 3', null],
    ['--batch', null],
    ['', null],
    ['HEAD\nHEAD', null],
  ])('%j is a %s', async (name, type) => {
    const r = new TestRepository({
      'depth.js': 'export const depth = 4;\n',
      'large.txt': large,
      'empty.txt': '',
      'a file.txt': 'x',
    });
    r.git('tag', '-a', '-m', 'release', '1.0.0', r.head);
    r.git('tag', 'plain', r.head);

    const [first, found, last] = await readObjects(place(r), ['HEAD:large.txt', name, 'HEAD:depth.js']);

    expect(first?.bytes.toString()).toBe(large);
    expect(found?.type ?? null).toBe(type);
    if (type !== null) expect(found?.id).toBe(r.git('rev-parse', name).trim());
    if (type !== null)
      expect(found?.bytes.toString()).toBe(execFileSync('git', ['cat-file', type, name], { cwd: r.folder }).toString());
    expect(last?.bytes.toString()).toBe('export const depth = 4;\n');
  });

  it('come to whoever asked, when many ask at the same time', async () => {
    const names = Array.from({ length: 40 }, (_, index) => `table-${index}.txt`);
    const r = new TestRepository(Object.fromEntries(names.map((name) => [name, `${name}\n`.repeat(5_000)])));
    const at = place(r);

    const found = await Promise.all(names.map((name) => readObject(at, `HEAD:${name}`)));

    expect(found.map((object) => object?.bytes.toString().slice(0, object.bytes.indexOf(10)))).toEqual(names);
  });

  it('are those of now: of a commit made after the first question, and of a tag that moved', async () => {
    const r = new TestRepository({ 'depth.js': '1\n' });
    r.git('tag', 'deep', r.head);
    const at = place(r);
    const ask = () => readObjects(at, ['HEAD:depth.js', 'refs/tags/deep^{commit}']);
    const before = await ask();

    const next = r.commit('fix: deeper', { files: { 'depth.js': '2\n' } });
    r.git('tag', '-f', 'deep', next);
    r.git('gc', '--quiet', '--prune=now');
    const after = await ask();

    expect(before[0]?.bytes.toString()).toBe('1\n');
    expect(after[0]?.bytes.toString()).toBe('2\n');
    expect(after[1]?.id).toBe(next);
  });

  it('need a git that can be started', async () => {
    const r = new TestRepository({ 'depth.js': '1\n' });
    const at = { folder: r.folder, env: { PATH: '/nowhere' } };

    await expect(readObject(at, 'HEAD')).rejects.toMatchObject({ code: 'GIT_MISSING' });
  });

  it('are read again by another git when one was killed', async () => {
    const r = new TestRepository({ 'depth.js': '1\n' });
    const at = { folder: r.folder, env: { ...testEnvironment(), PWD: r.folder } };
    await readObject(at, 'HEAD');
    const [reader = 0, ...others] = readersIn(r.folder);
    expect([reader > 0, others]).toEqual([true, []]);

    process.kill(reader, 'SIGSTOP');
    const asked = readObject(at, 'HEAD:depth.js');
    process.kill(reader, 'SIGKILL');

    await expect(asked).rejects.toMatchObject({ code: 'CUT_SHORT' });
    expect((await readObject(at, 'HEAD:depth.js'))?.bytes.toString()).toBe('1\n');
  });
});
