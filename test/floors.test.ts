import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { execa } from 'execa';
import { afterEach, beforeEach, expect, it } from 'vitest';

const root = path.join(import.meta.dirname, '..');
let folder: string;

beforeEach(() => {
  folder = mkdtempSync(path.join(root, 'src/core/floor-'));
});
afterEach(() => rmSync(folder, { recursive: true }));

it.each([
  ["import '../../world/files.ts';", 'core-imports-only-core'],
  ["import 'node:fs';", 'core-is-pure'],
  ["import 'undici';", 'core-imports-pure-libraries'],
])('refuses %s in core as %s', async (line, rule) => {
  writeFileSync(path.join(folder, 'bad.ts'), `${line}\nexport const x = 1;\n`);

  const { stdout, exitCode } = await execa(
    'node_modules/.bin/depcruise',
    [folder, '--config', '.dependency-cruiser.cjs'],
    { cwd: root, reject: false },
  );

  expect(exitCode).not.toBe(0);
  expect(stdout).toContain(rule);
});
