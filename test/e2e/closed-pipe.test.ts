import { execa } from 'execa';
import { expect, it } from 'vitest';
import { programFile } from '../builders/program.ts';
import { TestRepository, testEnvironment } from '../builders/repository.ts';

it('ends quietly when whoever reads its JSON has enough', async () => {
  const r = new TestRepository({ 'package.json': '{"name":"tides","version":"1.0.0"}\n' });
  const long = 'low water '.repeat(90);
  for (let index = 0; index < 150; index++) r.commit(`feat: ${index} ${long}`, { paths: ['index.js'] });

  const run = await execa('sh', ['-c', '"$0" "$1" survey --json | head -c 10', process.execPath, programFile], {
    cwd: r.folder,
    env: testEnvironment(),
    extendEnv: false,
  });

  expect(run.stdout).toBe('{"schema":');
  expect(run.stderr).not.toMatch(/EPIPE|node:internal/);
});
