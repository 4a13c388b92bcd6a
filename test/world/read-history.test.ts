import { execFileSync } from 'node:child_process';
import { readFileSync, rmSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { readHistory, readInHalves } from '../../src/world/git/read-history.ts';
import { gitLine } from '../../src/world/git/run-git.ts';
import { processorCount } from '../../src/world/platform.ts';
import { TestRepository, testEnvironment } from '../builders/repository.ts';

const [commits, never] = [1500, Number.POSITIVE_INFINITY];

/** A history with long messages and a merge in every tenth commit. */
function longHistory(): TestRepository {
  const r = new TestRepository({ 'tide.txt': 'ebb' });
  const lines = Array.from({ length: commits }, (_, index) => {
    const text = `fix: tide ${index}\n\n${`${index} `.repeat(400)}`;
    const merged = index % 10 === 9 ? `merge :${index - 4}\n` : '';
    const from = index === 0 ? '' : `from :${index}\n`;
    return [
      `commit refs/heads/main\nmark :${index + 1}\ncommitter Survey boat <boat@fenmarsh.example> ${1_790_000_000 + index} +0000\n`,
      `data ${text.length}\n${text}\n${from}${merged}M 100644 inline gauges/${index % 7}.txt\ndata 4\n${1000 + index}\n`,
    ].join('');
  });
  execFileSync('git', ['fast-import', '--quiet', '--force'], { cwd: r.folder, input: lines.join('') });
  return r;
}

/** What is read of a history by somebody who asks git something else between any two batches. */
async function slowly(r: TestRepository, range: readonly string[], least: number) {
  const trace = path.join(path.dirname(r.folder), `${path.basename(r.folder)}-${least}.trace`);
  const place = { folder: r.folder, env: { ...testEnvironment(), GIT_TRACE: trace } };
  rmSync(trace, { force: true });
  const found: string[] = [];
  for await (const batch of readInHalves(place, range, least)) {
    found.push(...batch.map((commit) => JSON.stringify(commit)));
    await gitLine({ ...place, env: testEnvironment() }, ['rev-list', '--count', ...range]);
  }
  return { found: found.sort(), isSplit: readFileSync(trace, 'utf8').includes('--skip=') };
}

it('reads a long history by two gits, every commit once', async () => {
  const r = longHistory();
  for (const range of [
    ['HEAD', '--'],
    ['HEAD', '^HEAD~900', '--'],
  ]) {
    const [whole, halves] = [await slowly(r, range, never), await slowly(r, range, 50)];
    // With one core a second git would only take turns with the first.
    expect([whole.isSplit, halves.isSplit]).toEqual([false, processorCount() > 1]);
    expect(halves.found).toEqual(whole.found);
  }
  expect((await slowly(r, ['HEAD', '^HEAD~20', '--'], 50)).isSplit).toBe(false);
});

it('ends both when the reader has enough', async () => {
  const r = longHistory();
  const place = { folder: r.folder, env: testEnvironment() };
  let seen = 0;
  for await (const batch of readInHalves(place, ['HEAD', '--'], 50)) {
    seen += batch.length;
    if (seen > 1000) break;
    await gitLine(place, ['rev-list', '--count', 'HEAD']);
  }
  expect(seen).toBeGreaterThan(1000);
});

it.each([
  ['a letter of two units would be cut in half', `${'x'.repeat(999)}🌊🌊`, 'x'.repeat(999)],
  ['it ends between two letters', `${'x'.repeat(998)}🌊🌊`, `${'x'.repeat(998)}🌊`],
])('keeps the beginning of a long subject: %s', async (_, subject, kept) => {
  const r = new TestRepository({ 'tide.txt': 'ebb' });
  const id = r.commit(`${subject}\n\nbody`, { paths: ['tide.txt'] });
  const place = { folder: r.folder, env: testEnvironment() };
  const found = [];
  for await (const batch of readHistory(place, id, [])) found.push(...batch);
  const { message, cut } = found.find((commit) => commit.id === id) ?? {};
  expect([message, cut]).toEqual([`${kept}\n\nbody`, true]);
});
