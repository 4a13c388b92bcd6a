// How tools are looked up.
import { chmodSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { findTool } from '../../src/world/tool.ts';
import { temporaryFolder } from '../builders/repository.ts';

const never = new AbortController().signal;

/** A program that writes down that it was asked. */
function makeTool(folder: string, version: string): void {
  const file = path.join(folder, 'sounder');
  writeFileSync(file, `#!/bin/sh\necho "$0" >> '${folder}/asked'\necho "sounder ${version}"\n`);
  chmodSync(file, 0o755);
}

const asked = (folder: string) =>
  existsSync(path.join(folder, 'asked'))
    ? readFileSync(path.join(folder, 'asked'), 'utf8').trim().split('\n').length
    : 0;

it('a tool is asked once while its file and the environment stay the same', async () => {
  const folder = temporaryFolder();
  makeTool(folder, '1.2.0');
  const env = { PATH: `${folder}:/usr/bin:/bin` };

  const [first, second] = await Promise.all([findTool('sounder', env, never), findTool('sounder', env, never)]);
  const third = await findTool('sounder', env, never);

  expect([first?.version, second, third]).toEqual(['1.2.0', first, first]);
  expect(asked(folder)).toBe(1);

  await findTool('sounder', { ...env, SOUNDER_HOME: '/elsewhere' }, never);
  expect(asked(folder)).toBe(2);
});

it('a tool that was replaced is asked again', async () => {
  const folder = temporaryFolder();
  makeTool(folder, '1.2.0');
  const env = { PATH: `${folder}:/usr/bin:/bin` };
  const before = await findTool('sounder', env, never);

  makeTool(folder, '1.3.0');
  const after = await findTool('sounder', env, never);

  expect([before?.version, after?.version]).toEqual(['1.2.0', '1.3.0']);
  expect(after?.sha256).not.toBe(before?.sha256);
});

it('a tool that was given up is asked again', async () => {
  const folder = temporaryFolder();
  makeTool(folder, '1.2.0');
  const env = { PATH: `${folder}:/usr/bin:/bin` };

  await expect(findTool('sounder', env, AbortSignal.abort())).rejects.toThrow();

  expect((await findTool('sounder', env, never))?.version).toBe('1.2.0');
});
