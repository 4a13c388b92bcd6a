import { execFileSync } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { bevelstone } from '../builders/program.ts';
import { temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { hasTool } from '../builders/tools.ts';
import { demoWorkspace, goodToken } from '../builders/workspace.ts';

/** Every way in which a secret could stand somewhere: as it is, URL-encoded, in base64 at each alignment. */
function formsOf(secret: string): string[] {
  const aligned = [0, 1, 2].map((lead) => {
    const text = Buffer.concat([Buffer.alloc(lead), Buffer.from(secret)]).toString('base64');
    return text.slice(lead === 0 ? 0 : lead + 1, Math.floor(((secret.length + lead) * 8) / 6));
  });
  return [secret, encodeURIComponent(secret), ...aligned];
}

function filesBelow(folder: string): string[] {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((dirent) => dirent.isFile())
    .map((dirent) => path.join(dirent.parentPath, dirent.name));
}

it('a planted secret is nowhere: not in any output, error, log, ledger, store or file left behind', async () => {
  const w = await demoWorkspace();
  const strange = 'planted/secret+0123 &';
  const packages = ['tidemark', 'gauges', 'tidemark-py', ...(hasTool('cc') ? ['harmonics', 'Fenmarsh.Tides'] : [])];
  const names = packages.flatMap((name) => ['-p', name]);
  const home = temporaryFolder();
  const inside = temporaryFolder();
  const run = (args: string[], env: Record<string, string> = {}) =>
    bevelstone([...args, '--verbose'], { cwd: w.folder, env: { ...w.env, HOME: home, TMPDIR: inside, ...env } });
  const wrong = { TIDE_OFFICE_TOKEN: strange };

  const runs = [
    await run(['build', ...names]),
    await run(['probe', ...(packages.includes('harmonics') ? [] : ['office'])], wrong),
    await run(['publish', ...names, '--push-tag', '--yes'], wrong),
    await run(['publish', ...names, '--push-tag', '--yes', '--json'], wrong),
    await run(['publish', ...names, '--push-tag', '--yes'], { TIDE_OFFICE: `http://127.0.0.1:9/${goodToken}` }),
    await run(['publish', ...names, '--push-tag', '--yes']),
    await run(['probe', '--json']),
    await run(['confirm', 'tidemark', '--within', '2 s', '--json']),
    await run(['ledger', 'lines', 'tidemark-py', '--set-up']),
    await run(['ledger', 'list', '--json']),
    await run(['withdraw', 'gauges@0.2.1', '--from', 'office', '--reason', goodToken, '--yes']),
  ];

  const objects = execFileSync('sh', ['-c', 'git cat-file --batch-all-objects --batch'], {
    cwd: w.folder,
    env: testEnvironment(),
    maxBuffer: 1 << 28,
  }).toString('latin1');
  const stored = [w.folder, w.store, home, inside]
    .flatMap(filesBelow)
    .map((file) => readFileSync(file).toString('latin1'));
  const printed = runs.map(({ stdout, stderr }) => stdout + stderr);
  expect(runs.at(5)?.exitCode).toBe(0);
  expect(printed.join('')).toContain('[redacted]');
  for (const form of [goodToken, strange].flatMap(formsOf)) {
    for (const text of [...printed, objects]) expect(text).not.toContain(form);
    for (const text of stored) expect(text).not.toContain(form);
  }
});
