import { describe, expect, it } from 'vitest';
import type { LedgerRelease } from '../../../src/core/ledger/fold.ts';
import { baseFor } from '../../../src/core/partial/base-for.ts';

const release = (version: string, more: Partial<LedgerRelease> = {}) =>
  ({ package: 'harmonics', version, isAbandoned: false, withdrawals: [], ...more }) as LedgerRelease;

const known = [
  release('0.9.3'),
  release('1.0.0-beta.1'),
  release('0.9.4'),
  release('0.9.5', { isAbandoned: true }),
  release('0.9.6', { withdrawals: [{ destination: 'shelf', how: 'removed', reason: 'wrong file', at: '' }] }),
  release('0.8.0', { package: 'tides' }),
];

describe('the base of a partial artifact', () => {
  it.each([
    ['0.9.7', 'last', '0.9.4'],
    ['0.9.4', 'last', '0.9.3'],
    ['1.0.0', 'last', '0.9.4'],
    ['1.0.0-beta.2', 'last', '1.0.0-beta.1'],
    ['0.9.3', 'last', null],
    ['1.0.0', '0.9.3', '0.9.3'],
    ['1.0.0', '0.9.6', '0.9.6'],
    ['1.0.0', '0.9.5', null],
    ['1.0.0', '0.8.0', null],
  ])('of %s after %s is %s', (version, wanted, base) => {
    expect(baseFor(known, { package: 'harmonics', version, wanted })?.version ?? null).toBe(base);
  });
});
