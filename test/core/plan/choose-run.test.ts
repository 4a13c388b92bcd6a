import { describe, expect, it } from 'vitest';
import {
  chooseRun,
  isHalfLaidOut,
  isPublic,
  isUnreadable,
  type KnownRun,
  refuseOpen,
  stateOfRun,
} from '../../../src/core/plan/choose-run.ts';
import type { JournalDamage } from '../../../src/core/record/parse-journal.ts';
import type { RunRecord, RunStep } from '../../../src/core/record/run-record.ts';

const record = (step: RunStep, phase: RunRecord['phase'] = 'done', data: unknown = null): RunRecord => ({
  seq: 0,
  at: '2026-11-28T08:00:00.000Z',
  step,
  key: '',
  phase,
  input: '',
  data,
  prev: '',
});
const run = (id: string, ...records: readonly RunRecord[]): KnownRun => ({
  id,
  folder: `/runs/${id}`,
  records,
  damage: null,
});
const journal = (records: readonly RunRecord[], damage: JournalDamage | null = null) => ({
  records,
  lines: [],
  damage,
});

describe('the run that is meant', () => {
  const [value, other] = [run('one'), run('other')];

  it.each([
    [[], null, null],
    [[], 'one', null],
    [[value], null, value],
    [[value, other], 'other', other],
  ])('of %j, named %j', (runs, named, chosen) => {
    expect(chooseRun(runs, named)).toBe(chosen);
  });

  it.each([
    [[value, other], null, '2 releases'],
    [[value], 'third', 'no open run third'],
  ])('is refused of %j, named %j', (runs, named, said) => {
    expect(() => chooseRun(runs, named)).toThrow(
      expect.objectContaining({
        code: 'RUN_NOT_FOUND',
        message: expect.stringContaining(said),
        why: expect.stringContaining('one'),
      }),
    );
  });
});

it('a run that waits keeps a new one from beginning', () => {
  refuseOpen([]);
  expect(() => refuseOpen([run('one')])).toThrow(expect.objectContaining({ code: 'RUN_OPEN', resume: 'one' }));
});

it.each([
  [null, 'nothing'],
  [journal([]), 'nothing'],
  [journal([], { line: 1, why: 'it is not a JSON object', type: 'torn' }), 'open'],
  [journal([record('opened')]), 'open'],
  [journal([record('opened'), record('closed')]), 'over'],
])('a journal with %j is of a run that is %s', (found, state) => {
  expect(stateOfRun(found)).toBe(state);
});

it('is public from the moment that its push was announced', () => {
  expect(isPublic(run('one', record('opened'), record('tagged')))).toBe(false);
  expect(isPublic(run('one', record('opened'), record('push', 'intent')))).toBe(true);
});

it.each([
  [true, [], true],
  [true, [record('push', 'intent')], false],
  [false, [], false],
])('from the remote %s, with %j behind it: half laid out %s', (isFromRemote, more, isHalf) => {
  expect(isHalfLaidOut(run('one', record('opened', 'done', { isFromRemote }), ...more))).toBe(isHalf);
});

it('cannot be read without its first record', () => {
  expect([isUnreadable(run('one')), isUnreadable(run('one', record('opened')))]).toEqual([true, false]);
});
