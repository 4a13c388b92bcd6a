import { appendFileSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { deploymentWorkspace, linkedMap, seenFrom } from '../builders/deployment.ts';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { releaseWorkspace } from '../builders/release-workspace.ts';

/** A workspace with 0.1.0 deployed, and two issues after it: 12 changes low.js and adds mean.js, 15 changes depth.js. */
async function twoIssues() {
  const w = await deploymentWorkspace('folder', linkedMap);
  await w.deploy();
  w.commit('fix: low water was too low\n\nRefs: #12\n', {
    'soundings/tables/low.js': 'export const low = 0.5;\n',
    'soundings/tables/mean.js': 'export const mean = 2;\n',
  });
  w.commit('feat: deeper (#15)\n', { 'soundings/depth.js': 'export const depth = 5;\n' });
  const ask = (...args: string[]) => bevelstoneJson(args, { cwd: w.folder, env: w.env });
  return { w, ask };
}

describe('an archive with only some changes', () => {
  it('is built by issue, put onto its base, and can be traced', async () => {
    const { w, ask } = await twoIssues();

    const built = await ask('build', '--changed-by', 'issue:12');
    const [partial] = built.result.partials;
    const before = await ask('ledger', 'trace', 'issue:12');
    const deployed = await w.deploy(['--partial', partial.place]);
    const seen = seenFrom(w.site);
    const again = await w.deploy(['--partial', partial.place]);
    const traced = await ask('ledger', 'trace', 'issue:12');
    const listed = await ask('deploy', 'list');
    const back = await w.deploy(['--back']);

    expect(partial).toMatchObject({
      package: 'soundings',
      base: { version: '0.1.0' },
      issues: ['12'],
      entries: [
        { path: 'tables/low.js', effect: 'replaced', alsoHolds: [] },
        { path: 'tables/mean.js', effect: 'added', before: null },
      ],
      removed: [],
      unselected: ['depth.js'],
    });
    expect(before.result.outputs).toMatchObject([{ file: partial.file, base: '0.1.0', deployedTo: [] }]);
    expect(deployed.result).toMatchObject({
      state: 'deployed',
      version: '0.1.0',
      added: ['tables/mean.js'],
      replaced: ['tables/low.js'],
    });
    expect(seen).toMatchObject({
      'tables/low.js': '644 export const low = 0.5;\n',
      'tables/mean.js': '644 export const mean = 2;\n',
      'tables/high.js': '644 export const high = 4.2;\n',
      'site/depth.js': '644 export const depth = 4.2;\n',
    });
    expect(again.result.state).toBe('already-there');
    expect(traced.result.outputs).toMatchObject([{ deployedTo: ['harbour'] }]);
    expect(listed.result.partials).toMatchObject([{ issues: ['12'], deployedTo: ['harbour'] }]);
    expect(back.result).toMatchObject({ state: 'returned', version: '0.1.0' });
    expect(seenFrom(w.site)['tables/low.js']).toBe('644 export const low = 0.4;\n');
  });

  it('is finished or undone when it was cut short', async () => {
    const { w, ask } = await twoIssues();
    const old = seenFrom(w.site);
    const [partial] = (await ask('build', '--changed-by', 'issue:12')).result.partials;
    const cut = ['--partial', partial.place];
    const fault = { BEVELSTONE_FAULT: 'deploy:half:before' };

    await expect(w.deploy(cut, fault)).rejects.toThrow();
    const without = await w.deploy(['--resume']);
    const back = await w.deploy(['--back']);
    const undone = seenFrom(w.site);
    await expect(w.deploy(cut, fault)).rejects.toThrow();
    const resumed = await w.deploy(['--resume', ...cut]);

    expect(without.error).toMatchObject({ code: 'DEPLOY_NO_ARTIFACT', fix: expect.stringContaining('--partial') });
    expect(back.result.state).toBe('returned');
    expect(undone).toEqual(old);
    expect(resumed.result).toMatchObject({ state: 'deployed', version: '0.1.0' });
    expect(seenFrom(w.site)['tables/mean.js']).toBe('644 export const mean = 2;\n');
  });

  it('takes several of the same base, one after the other', async () => {
    const { w, ask } = await twoIssues();
    const [first] = (await ask('build', '--changed-by', 'issue:12')).result.partials;
    const copy = path.join(w.top, 'first.tar.gz');
    writeFileSync(copy, readFileSync(first.place));
    const [second] = (await ask('build', '--changed-by', 'issue:15')).result.partials;

    const runs = [await w.deploy(['--partial', copy]), await w.deploy(['--partial', second.place])];

    expect(runs.map(({ error }) => error)).toEqual([null, null]);
    expect(seenFrom(w.site)).toMatchObject({
      'tables/low.js': '644 export const low = 0.5;\n',
      'site/depth.js': '644 export const depth = 5;\n',
    });
  });

  it('is refused on another base, on changed files, and when it is not on record', async () => {
    const { w, ask } = await twoIssues();
    const [partial] = (await ask('build', '--changed-by', 'issue:12')).result.partials;
    appendFileSync(path.join(w.site, 'tables/high.js'), '// by hand\n');
    const changed = await w.deploy(['--partial', partial.place, '--overwrite-changed']);
    writeFileSync(path.join(w.site, 'tables/high.js'), 'export const high = 4.2;\n');
    const kept = path.join(w.top, 'kept.tar.gz');
    writeFileSync(kept, readFileSync(partial.place));
    const tarball = path.join(w.folder, 'bevelstone-out/soundings-0.1.0/soundings-0.1.0.tar.gz');
    const whole = await w.deploy(['--partial', tarball]);
    const missing = await w.deploy(['--partial', 'nowhere.tar.gz']);
    await w.releaseFiles('feat: more', { 'soundings/tables/more.js': 'export const more = 1;\n' });
    await w.deploy();
    const elsewhere = await w.deploy(['--partial', kept]);
    w.git('update-ref', '-d', 'refs/bevelstone/ledger');
    w.git('push', '--quiet', 'origin', ':refs/bevelstone/ledger');
    const forgotten = await w.deploy(['--partial', kept]);

    expect(changed.error?.code).toBe('DEPLOY_CHANGED');
    expect(whole.error).toMatchObject({
      code: 'DEPLOY_NO_ARTIFACT',
      why: expect.stringContaining('bevelstone-partial'),
    });
    expect(missing.error?.code).toBe('FILE_NOT_FOUND');
    expect(elsewhere.error).toMatchObject({
      code: 'DEPLOY_BASE_DIFFERS',
      fix: expect.stringContaining('soundings@0.1.0'),
    });
    expect(forgotten.error).toMatchObject({ code: 'DEPLOY_NO_ARTIFACT', why: expect.stringContaining('on record') });
    expect(seenFrom(w.site)['tables/more.js']).toBe('644 export const more = 1;\n');
  });

  it('says what else is in a file, and follows what a person adds and leaves out', async () => {
    const { w, ask } = await twoIssues();
    w.commit('fix: low once more (#20)\n', { 'soundings/tables/low.js': 'export const low = 0.6;\n' });
    rmSync(path.join(w.folder, 'soundings/tables/high.js'));
    w.commit('feat!: no high water (#12)\n', {});

    const run = await ask('build', '--changed-by', 'issue:12', '--add', 'depth.js', '--leave-out', 'tables/mean.js');
    const text = await bevelstone(['build', '--changed-by', 'issue:12'], { cwd: w.folder, env: w.env });

    const [partial] = run.result.partials;
    expect(partial.entries).toMatchObject([
      { path: 'depth.js', commits: [] },
      { path: 'tables/low.js', alsoHolds: [expect.any(String)] },
    ]);
    expect(partial.removed).toMatchObject([{ path: 'tables/high.js' }]);
    expect(partial).toMatchObject({ addedByHand: ['depth.js'], leftOutByHand: ['tables/mean.js'] });
    expect(run.warnings.join()).toMatch(/tables\/low\.js also has the changes of/);
    expect(text.stdout).toMatch(/Part of soundings 0\.2\.0, to be put on 0\.1\.0/);
  });

  it('is made with each release where the configuration asks for it, and brings its base up to that release', async () => {
    const w = await deploymentWorkspace('folder', linkedMap);
    await w.deploy();
    const config = readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8');
    const withPartial = config.replace(
      '{ form: npm-tarball }',
      '{ form: npm-tarball }, { form: tar.gz, only-new-after: last }',
    );
    w.commit('build: a part for those who have the release before', {
      'bevelstone.yaml': withPartial.replace(/^( *)artifacts:/m, '$1verify: { require: [README.md] }\n$&'),
    });
    const ask = (...args: string[]) => bevelstoneJson(args, { cwd: w.folder, env: w.env });
    rmSync(path.join(w.folder, 'soundings/tables/high.js'));
    const version = await w.releaseFiles('fix: low water was too low\n\nRefs: #12\n', {
      'soundings/tables/low.js': 'export const low = 0.5;\n',
      'soundings/tables/mean.js': 'export const mean = 2;\n',
    });
    const name = `soundings-${version}-after-0.1.0.tar.gz`;
    const file = path.join(w.folder, `bevelstone-out/soundings-${version}`, name);

    const shown = await ask('ledger', 'show', `soundings@${version}`);
    const text = await bevelstone(['ledger', 'show', `soundings@${version}`], { cwd: w.folder, env: w.env });
    const listed = await ask('build', '--list', '--at', shown.result.tag);
    const verified = await ask('verify', file);
    const deployed = await w.deploy(['--partial', file]);
    const seen = seenFrom(w.site);
    const whole = await w.deploy();
    const made = await ask('deploy', 'list');

    const summary = { base: '0.1.0', added: 1, replaced: 1, removed: 1, commits: 1, issues: ['12'] };
    const artifacts = shown.result.artifacts as { file: string; partial?: object }[];
    expect(artifacts.map((artifact) => [artifact.file, artifact.partial])).toContainEqual([name, summary]);
    expect(text.stdout).toMatch(/for 0\.1\.0: 1 added, 1 replaced, 1 removed, from 1 commit; issue 12/);
    expect(listed.error).toBeNull();
    expect(verified.error).toBeNull();
    expect(readdirSync(path.join(w.top, 'shelf'), { recursive: true }).join()).toContain(name);
    expect(deployed.result).toMatchObject({ state: 'deployed', version, partialOf: null, removed: ['tables/high.js'] });
    expect(seen).toMatchObject({ 'tables/low.js': '644 export const low = 0.5;\n' });
    expect(whole.result).toMatchObject({ added: [], replaced: [], removed: [] });
    expect(made.result.partials).toMatchObject([{ file: name, base: '0.1.0', issues: ['12'] }]);
  });

  it('is left out of a first release, and needs a whole archive', async () => {
    const w = await releaseWorkspace({ destinations: ['shelf'] });
    const config = readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8');
    const ask = (...args: string[]) => bevelstoneJson(args, { cwd: w.folder, env: w.env });
    const commit = (artifacts: string) =>
      w.commit('build: parts', { 'bevelstone.yaml': config.replace('{ form: npm-tarball }', artifacts) });

    commit('{ form: npm-tarball }, { form: tar.gz, only-new-after: last }');
    const first = await ask('build');
    commit('{ form: npm-tarball }, { form: tar.gz, only-new-after: last, files: [{ from: README.md }] }');
    const own = await ask('build');
    commit('{ form: zip, only-new-after: last }');
    const zip = await ask('build');

    expect(first.error).toBeNull();
    expect(first.warnings.join()).toMatch(/no partial artifact: an earlier release is not on record/);
    expect(own.error).toMatchObject({ code: 'CONFIG_INVALID', why: expect.stringContaining('only-new-after') });
    expect(zip.error?.code).toBe('CONFIG_INVALID');
  });

  it('says when nothing comes from the changes, and what is wrong with them', async () => {
    const { ask } = await twoIssues();
    const lines = [
      [['--changed-by', 'issue:99'], 'NOTHING_TO_RELEASE'],
      [['--changed-by', ''], 'USAGE'],
      [['--changed-by', 'nowhere..HEAD'], 'COMMIT_NOT_FOUND'],
      [['--changed-by', 'HEAD~1..HEAD', '--add', 'no/such.js'], 'ENTRY_NOT_FOUND'],
      [['--changed-by', 'issue:12', '--base', '9.9.9'], 'RELEASE_NOT_RECORDED'],
      [['--changed-by', 'issue:12', '--list'], 'USAGE'],
      [['--add', 'depth.js'], 'USAGE'],
    ] as const;

    for (const [args, code] of lines) expect((await ask('build', ...args)).error?.code).toBe(code);
  });
});
