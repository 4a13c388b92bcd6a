import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { errorCatalog } from '../../../src/core/error/catalog.ts';

const root = path.join(import.meta.dirname, '../../..');

it('is the same as its page in the docs, in both directions', () => {
  const page = readFileSync(path.join(root, 'docs/errors.md'), 'utf8');
  const rows = [...page.matchAll(/^\| `([A-Z_]+)` \| (\d+) \| (.+) \|$/gm)].map(([, code, exitCode, summary]) => [
    code,
    Number(exitCode),
    summary,
  ]);

  expect(rows).toEqual(Object.entries(errorCatalog).map(([code, { exitCode, summary }]) => [code, exitCode, summary]));
});

it('has no code that nothing can give', () => {
  const files = readdirSync(path.join(root, 'src'), { recursive: true, encoding: 'utf8' }).filter(
    (file) => file.endsWith('.ts') && !file.endsWith('catalog.ts'),
  );
  const source = files.map((file) => readFileSync(path.join(root, 'src', file), 'utf8')).join('\n');

  expect(Object.keys(errorCatalog).filter((code) => !source.includes(`'${code}'`))).toEqual([]);
});
