import {
  appendFileSync,
  closeSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  readlinkSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
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
    first.append({ step: 'sbom', phase: 'done', data: { run: 'one' } });
    first.append({ step: 'afterwards', key: 'a', phase: 'intent' });
    first.close();
    appendFileSync(path.join(folder, 'journal.jsonl'), '{"seq":2,"at":"2026-');

    const second = await Journal.open(folder, settings);
    second.append({ step: 'afterwards', key: 'a', phase: 'done', data: { address: 'x' } });
    second.close();

    const { records } = await readJournal(folder);
    expect(records.map(({ seq, step, phase }) => [seq, step, phase])).toEqual([
      [0, 'sbom', 'done'],
      [1, 'afterwards', 'intent'],
      [2, 'afterwards', 'done'],
    ]);
    expect([
      second.isMeant('afterwards', 'a'),
      second.isDone('afterwards', 'b'),
      second.done('afterwards', 'a'),
    ]).toEqual([true, false, { address: 'x' }]);
  });

  it('contains no secret, and its chain is intact all the same', async () => {
    const folder = place();
    const journal = await Journal.create(folder, settings);
    journal.append({ step: 'gated', phase: 'done', data: { why: 'with tide-office-token-7Qx2LmVb9 in it' } });
    journal.append({ step: 'surveyed', phase: 'done' });
    journal.close();

    expect(readFileSync(path.join(folder, 'journal.jsonl'), 'utf8')).not.toContain('7Qx2LmVb9');
    expect((await readJournal(folder)).records).toHaveLength(2);
  });

  it('is never begun over another one', async () => {
    const folder = place();
    mkdirSync(folder);
    writeFileSync(path.join(folder, 'journal.jsonl'), '');

    await expect(Journal.create(folder, settings)).rejects.toThrow('EEXIST');
  });

  it('that lost its end is continued behind the last whole record, and stays marked until it is repaired', async () => {
    const folder = place();
    const file = path.join(folder, 'journal.jsonl');
    const first = await Journal.create(folder, settings);
    for (const step of ['sbom', 'gated', 'surveyed'] as const) first.append({ step, phase: 'done' });
    first.close();
    const lines = readFileSync(file, 'utf8').split('\n');
    writeFileSync(file, [lines[0], lines[1]?.slice(0, 20), ''].join('\n'));

    (await Journal.open(folder, settings)).close();
    const again = await Journal.open(folder, settings);
    again.append({ step: 'gated', phase: 'done' });
    await again.markRepaired();
    again.close();

    expect(again.isDamaged).toBe(true);
    expect((await readJournal(folder)).records.map(({ step }) => step)).toEqual(['sbom', 'gated']);
    const repaired = await Journal.open(folder, settings);
    expect(repaired.isDamaged).toBe(false);
    repaired.close();
  });

  it('that lost its middle is opened only to be given up', async () => {
    const folder = place();
    const file = path.join(folder, 'journal.jsonl');
    const first = await Journal.create(folder, settings);
    for (const step of ['sbom', 'gated', 'surveyed'] as const) first.append({ step, phase: 'done' });
    first.close();
    const lines = readFileSync(file, 'utf8').split('\n');
    writeFileSync(file, [lines[0], lines[2], ''].join('\n'));

    await expect(Journal.open(folder, settings)).rejects.toMatchObject({ code: 'JOURNAL_DAMAGED', where: { line: 2 } });
    const given = await Journal.open(folder, settings, true);
    expect(given.records).toHaveLength(1);
    given.close();
  });

  it('goes into a new file when the old one cannot be written', async () => {
    const folder = place();
    const journal = await Journal.create(folder, settings);
    journal.append({ step: 'sbom', phase: 'done' });
    // Its own descriptor is taken away, as a failing disk would.
    const own = readdirSync('/proc/self/fd').find((fd) => linkOf(fd) === path.join(folder, 'journal.jsonl'));
    closeSync(Number(own));

    journal.append({ step: 'gated', phase: 'done' });

    expect((await readJournal(folder)).records.map(({ step }) => step)).toEqual(['sbom', 'gated']);
  });

  it('that cannot be written anywhere ends its run for all that comes after', async () => {
    const folder = place();
    const journal = await Journal.create(folder, settings);
    journal.append({ step: 'sbom', phase: 'done' });
    const own = readdirSync('/proc/self/fd').find((fd) => linkOf(fd) === path.join(folder, 'journal.jsonl'));
    closeSync(Number(own));
    mkdirSync(path.join(folder, 'journal.jsonl.new'));

    const append = () => journal.append({ step: 'afterwards', phase: 'intent' });

    expect(append).toThrow(expect.objectContaining({ code: 'CUT_SHORT' }));
    rmSync(path.join(folder, 'journal.jsonl.new'), { recursive: true });
    expect(append).toThrow(expect.objectContaining({ code: 'CUT_SHORT' }));
    expect((await readJournal(folder)).records).toHaveLength(1);
  });
});

function linkOf(fd: string): string {
  try {
    return readlinkSync(`/proc/self/fd/${fd}`);
  } catch {
    return '';
  }
}
