import { appendFileSync, mkdirSync, readFileSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { Journal, readJournal } from '../../src/world/journal.ts';
import { temporaryFolder } from '../builders/repository.ts';

const settings = { now: () => new Date('2026-11-02T09:30:00Z'), secrets: new Set(['tide-office-token-7Qx2LmVb9']) };
const place = () => path.join(temporaryFolder(), '20261102-093000-0123abcd');

describe('a journal on the disk', () => {
  it('is gone on with where it ends, a torn line taken off', async () => {
    const folder = place();
    const first = await Journal.create(folder, settings);
    first.append({ step: 'opened', phase: 'done', data: { run: 'one' } });
    first.append({ step: 'sent', key: 'a', phase: 'intent' });
    first.close();
    appendFileSync(path.join(folder, 'journal.jsonl'), '{"seq":2,"at":"2026-');

    const second = await Journal.open(folder, settings);
    second.append({ step: 'sent', key: 'a', phase: 'done', data: { address: 'x' } });
    second.close();

    const { records } = await readJournal(folder);
    expect(records.map(({ seq, step, phase }) => [seq, step, phase])).toEqual([
      [0, 'opened', 'done'],
      [1, 'sent', 'intent'],
      [2, 'sent', 'done'],
    ]);
    expect([second.isMeant('sent', 'a'), second.isDone('sent', 'b'), second.done('sent', 'a')]).toEqual([
      true,
      false,
      { address: 'x' },
    ]);
  });

  it('holds no secret, and its chain holds all the same', async () => {
    const folder = place();
    const journal = await Journal.create(folder, settings);
    journal.append({ step: 'gated', phase: 'done', data: { why: 'with tide-office-token-7Qx2LmVb9 in it' } });
    journal.append({ step: 'surveyed', phase: 'done' });
    journal.close();

    expect(readFileSync(path.join(folder, 'journal.jsonl'), 'utf8')).not.toContain('7Qx2LmVb9');
    expect((await readJournal(folder)).records).toHaveLength(2);
  });

  it('is never begun over another one, nor gone on with when it lost its middle', async () => {
    const folder = place();
    mkdirSync(folder);
    const file = path.join(folder, 'journal.jsonl');
    writeFileSync(file, '');
    await expect(Journal.create(folder, settings)).rejects.toThrow('EEXIST');

    const journal = await Journal.open(folder, settings);
    for (const step of ['opened', 'gated', 'surveyed'] as const) journal.append({ step, phase: 'done' });
    journal.close();
    const lines = readFileSync(file, 'utf8').split('\n');
    writeFileSync(file, [lines[0], lines[2], ''].join('\n'));

    await expect(Journal.open(folder, settings)).rejects.toMatchObject({ code: 'JOURNAL_DAMAGED', where: { line: 2 } });
    truncateSync(file, statSync(file).size - 5);
    expect((await readJournal(folder)).records).toHaveLength(1);
  });
});
