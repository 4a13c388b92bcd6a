import { expect, it } from 'vitest';
import { formatConfigCache, parseConfigCache } from '../../../src/core/record/config-cache.ts';

const key = 'a'.repeat(64);
const config = { output: 'bevelstone-out', packages: { coast: { folder: '.' } } };
const text = formatConfigCache(key, config);

it('a remembered configuration comes back for its own key alone', () => {
  expect(parseConfigCache(text, key)).toEqual(config);
  expect(parseConfigCache(text, 'b'.repeat(64))).toBeNull();
});

it.each([
  ['is empty', ''],
  ['was cut', text.slice(0, -5)],
  ['was changed', text.replace('bevelstone-out', '/etc')],
  ['is of a newer program', text.replace('bevelstone/1', 'bevelstone/2')],
  ['has no digest', text.replace(/"digest":"[^"]*",/, '')],
  ['is of an older program', JSON.stringify({ key, config })],
])('a file that %s is as good as none', (_, damaged) => {
  expect(parseConfigCache(damaged, key)).toBeNull();
});
