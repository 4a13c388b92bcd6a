import { describe, expect, it, vi } from 'vitest';
import { countDown, poll } from '../../src/world/poll.ts';

const quiet = () => {};
const never = new AbortController().signal;

describe('asking until there is an answer', () => {
  it('asks once when the time is over at once', async () => {
    const ask = vi.fn(async () => 'absent');

    expect(await poll({ withinMs: 0, signal: never, ask, isDone: () => false, onWait: quiet })).toBe('absent');
    expect(ask).toHaveBeenCalledTimes(1);
  });

  it('waits between two questions, reports what it waits upon, and ends with the wanted answer', async () => {
    const answers = ['absent', 'there'];
    const waited: string[] = [];

    const found = await poll({
      withinMs: 60_000,
      signal: never,
      ask: async () => answers.shift() ?? '',
      isDone: (answer) => answer === 'there',
      onWait: (answer) => waited.push(answer),
    });

    expect([found, waited]).toEqual(['there', ['absent']]);
  });

  it('stops waiting when the signal comes', async () => {
    const stop = new AbortController();

    const asked = poll({
      withinMs: 60_000,
      signal: stop.signal,
      ask: async () => 'absent',
      isDone: () => false,
      onWait: () => stop.abort(),
    });

    await expect(asked).rejects.toMatchObject({ name: 'AbortError' });
  });

  it('passes on what the question throws', async () => {
    const ask = async () => {
      throw new Error('gone');
    };

    await expect(poll({ withinMs: 1000, signal: never, ask, isDone: () => true, onWait: quiet })).rejects.toThrow(
      'gone',
    );
  });

  it('tells how much time is left, and never less than none', async () => {
    const left: number[] = [];
    await poll({
      withinMs: 5,
      signal: never,
      ask: async (leftMs) => left.push(leftMs),
      isDone: () => false,
      onWait: quiet,
    });

    expect(left).toHaveLength(1);
    expect(left[0]).toBeLessThanOrEqual(5);
    expect(countDown(-1)()).toBe(0);
  });
});
