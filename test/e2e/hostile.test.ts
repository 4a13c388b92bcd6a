import { execFileSync } from 'node:child_process';
import { existsSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { TestRepository, temporaryFolder } from '../builders/repository.ts';

const manifest = { 'package.json': '{ "name": "tide", "version": "1.0.0" }\n' };

it('lets no escape of a commit message or path reach the terminal, and keeps the text in JSON', async () => {
  const r = new TestRepository(manifest);
  r.tag('v1.0.0');
  r.commit('feat(\u001b]0;x\u0007): \u001b[31mred\u202e \u0000cut', { paths: ['a\u001b[2Jb.js'] });
  r.checkOut();

  const shown = await bevelstone(['survey', '--changes'], { cwd: r.folder, env: { FORCE_COLOR: '0' } });
  const json = await bevelstoneJson(['survey'], { cwd: r.folder });

  expect(shown.stdout + shown.stderr).not.toMatch(/[\u0000-\u0009\u000b-\u001f\u007f-\u009f\u202e]/);
  expect(shown.stdout).toContain('1.1.0');
  expect(json.result.packages[0].changes[0].summary).toContain('\u001b[31mred');
});

it('reads a subject of a megabyte, bytes that are no UTF-8, and odd paths', async () => {
  const r = new TestRepository(manifest);
  r.tag('v1.0.0');
  r.commit(`fix: ${'long '.repeat(200_000)}`, { paths: ['src/line\nbreak', 'src/ä "quoted"'] });
  const script = `printf 'tree %s\\nparent %s\\nauthor A <a@b> 1767225900 +0000\\ncommitter A <a@b> 1767225900 +0000\\n\\nfeat: \\377\\376 tide\\n' "$(git rev-parse HEAD^{tree})" "$(git rev-parse HEAD)" > ../odd`;
  r.checkOut();
  execFileSync('sh', ['-c', script], { cwd: r.folder });
  r.git('reset', '--quiet', r.git('hash-object', '-t', 'commit', '-w', path.join(r.folder, '../odd')));

  const { result, warnings } = await bevelstoneJson(['survey'], { cwd: r.folder });

  expect(result.packages[0].next).toBe('1.0.1');
  expect(result.packages[0].changes[0].summary.length).toBeLessThanOrEqual(1000);
  expect(warnings.join()).toContain('very long');
});

it("runs no program that the repository's own configuration names", async () => {
  const r = new TestRepository(manifest);
  const proof = path.join(temporaryFolder(), 'ran');
  const program = path.join(r.folder, '.git/program');
  writeFileSync(program, `#!/bin/sh\necho "$0 $@" >> ${proof}\ncat\n`, { mode: 0o755 });
  for (const key of [
    'core.fsmonitor',
    'core.pager',
    'core.editor',
    'diff.external',
    'filter.tide.smudge',
    'filter.tide.clean',
    'gpg.program',
    'pager.log',
    'core.sshCommand',
  ]) {
    r.git('config', key, program);
  }
  r.git('config', 'log.showSignature', 'true');
  r.commit('feat: x', { paths: ['x.js'] });
  r.checkOut();
  for (const hook of ['post-checkout', 'post-index-change', 'reference-transaction', 'pre-push']) {
    execFileSync('cp', [program, path.join(r.folder, '.git/hooks', hook)]);
  }
  execFileSync('rm', ['-f', proof]);

  const survey = await bevelstoneJson(['survey'], { cwd: r.folder });
  const build = await bevelstoneJson(['build'], { cwd: r.folder });

  expect([survey.exitCode, build.exitCode]).toEqual([0, 0]);
  expect(existsSync(proof)).toBe(false);
});

it('refuses a shallow clone, with the remedy', async () => {
  const r = new TestRepository(manifest);
  r.commit('feat: x', { paths: ['x.js'] });
  const clone = path.join(temporaryFolder(), 'clone');
  execFileSync('git', ['clone', '--quiet', '--depth=1', `file://${r.folder}`, clone]);

  const run = await bevelstoneJson(['survey'], { cwd: clone });

  expect(run).toMatchObject({
    exitCode: 3,
    error: { code: 'REPOSITORY_SHALLOW', fix: expect.stringContaining('--unshallow') },
  });
});

it('does not read tags that point to no commit, and follows tags of tags', async () => {
  const r = new TestRepository(manifest);
  r.git('tag', '-a', '-m', 'x', 'inner');
  r.git('tag', '-a', '-m', 'x', 'v1.2.0', 'inner');
  r.git('tag', 'v9.0.0', r.git('rev-parse', 'HEAD^{tree}'));
  r.commit('fix: x', { paths: ['x.js'] });
  r.checkOut();

  const { result, warnings } = await bevelstoneJson(['survey', '--tags'], { cwd: r.folder });

  expect(result.packages[0]).toMatchObject({ last: { version: '1.2.0', tag: 'v1.2.0' }, next: '1.2.1' });
  expect(result.tags.ignored).toEqual([{ tag: 'v9.0.0', why: 'it does not point to a commit' }]);
  expect(warnings.join()).not.toContain('v9.0.0');
});
