import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { readableFolders, readFolders } from '../../../src/flow/release-folder/built-release.ts';
import { testContext } from '../../builders/context.ts';
import { releaseRecord } from '../../builders/ledger.ts';
import { temporaryFolder } from '../../builders/repository.ts';

/** An output folder with one whole release and one whose record was cut. */
function outputWith(damaged: string): string {
  const out = temporaryFolder();
  const whole = JSON.stringify(releaseRecord());
  for (const [name, text] of [
    ['tidemark-1.4.0', whole],
    [damaged, whole.slice(0, 300)],
    ['notes', null],
  ] as const) {
    mkdirSync(path.join(out, name));
    if (text !== null) writeFileSync(path.join(out, name, 'release.json'), text);
  }
  return out;
}

it('a record that cannot be read is a warning, and every other release is still found', async () => {
  const context = testContext('/');

  const found = await readableFolders(context, outputWith('gauges-2.0.0'), new Set(['tidemark']));

  expect(found.map(({ record }) => record.package)).toEqual(['tidemark']);
  expect(context.warnings()).toEqual([
    expect.stringMatching(/gauges-2\.0\.0\/release\.json .* was skipped: it is not JSON/),
  ]);
});

it('reports an unreadable record as an error when its package, or everything, is requested', async () => {
  const out = outputWith('tidemark-1.5.0');
  const error = expect.objectContaining({
    code: 'RELEASE_ALTERED',
    where: { file: path.join(out, 'tidemark-1.5.0/release.json') },
  });

  await expect(readableFolders(testContext('/'), out, new Set(['tidemark']))).rejects.toThrow(error);
  await expect(readFolders(out)).rejects.toThrow(error);
});
