import assert from 'node:assert/strict';
import test from 'node:test';
import { parseLog } from '../src/index.js';

test('reads a line', () => {
  assert.equal(parseLog('2026-03-01T06:00:00Z 3.1').length, 1);
});
