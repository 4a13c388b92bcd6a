import {
  appendFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  readlinkSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import {
  deploymentWorkspace,
  itAt,
  kinds,
  linkedMap,
  mixedMap,
  secondFiles,
  seenFrom,
  versionsOn,
} from '../builders/deployment.ts';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';

/** Only the superuser can give files away. */
const itAsRoot = process.getuid?.() === 0 ? it : it.skip;
// biome-ignore lint/suspicious/noConsole: a skipped test says why
if (process.getuid?.() !== 0) console.log('skipped: owners need the superuser');

describe.each(kinds)('deploying to a target of the kind %s', (kind) => {
  itAt(kind)('puts releases into place, returns byte for byte, and records all of it', async () => {
    const w = await deploymentWorkspace(kind, mixedMap);

    const first = await w.deploy();
    const one = seenFrom(w.site);
    await w.releaseFiles('feat: mean tide', secondFiles);
    const dry = await w.deploy(['--dry-run']);
    const untouched = seenFrom(w.site);
    const next = await w.deploy();
    const two = seenFrom(w.site);
    const again = await w.deploy();
    const back = await w.deploy(['--back']);
    const list = await bevelstoneJson(['deploy', 'list'], { cwd: w.folder, env: w.env });

    expect(first.result).toMatchObject({ state: 'deployed', version: '0.1.0', before: null, isAtomic: false });
    expect(one).toMatchObject({
      'tables/low.js': '644 export const low = 0.4;\n',
      'copies/low.js': '644 export const low = 0.4;\n',
      'site/depth.js': '640 export const depth = 4.2;\n',
    });
    expect(dry.result).toMatchObject({
      state: 'planned',
      added: ['tables/mean.js'],
      replaced: expect.arrayContaining(['depth.js', 'tables/low.js']),
      removed: [],
      changedByHand: [],
    });
    expect(untouched).toEqual(one);
    expect(next.result).toMatchObject({ state: 'deployed', before: '0.1.0', earlier: ['0.1.0'] });
    expect(two).toMatchObject({
      'tables/mean.js': '644 export const mean = 2;\n',
      'copies/mean.js': '644 export const mean = 2;\n',
      'site/depth.js': '640 export const depth = 5;\n',
    });
    expect(again.result.state).toBe('already-there');
    expect(back.result).toMatchObject({ state: 'returned', version: '0.1.0', before: '0.1.1' });
    expect(seenFrom(w.site)).toEqual(one);
    const [harbour] = list.result.deployments;
    expect(harbour).toMatchObject({ deployment: 'harbour', version: '0.1.0' });
    expect(
      harbour.events.map((event: { result: string; version: string }) => `${event.result} ${event.version}`),
    ).toEqual(['returned 0.1.0', 'deployed 0.1.1', 'deployed 0.1.0']);
  });

  itAt(kind)('refuses what was changed by hand, and overwrites it only when asked to', async () => {
    const w = await deploymentWorkspace(kind, mixedMap);
    await w.deploy();
    await w.releaseFiles('feat: mean tide', secondFiles);
    appendFileSync(path.join(w.site, 'tables/low.js'), '// quick fix\n');
    writeFileSync(path.join(w.site, 'current/added.js'), 'by hand\n');
    writeFileSync(path.join(w.site, 'copies/high.js'), 'by hand too\n');

    const refused = await w.deploy();
    const back = await w.deploy(['--back']);
    const forced = await w.deploy(['--overwrite-changed']);

    expect(refused.error).toMatchObject({ code: 'DEPLOY_CHANGED' });
    expect(refused.error?.why).toMatch(/added\.js: added/);
    expect(refused.error?.why).toMatch(/low\.js: changed/);
    expect(refused.error?.why).toMatch(/copies\/high\.js: changed/);
    expect(back.error).toMatchObject({ code: 'DEPLOY_NOTHING_BEFORE' });
    expect(forced.result).toMatchObject({ state: 'deployed', version: '0.1.1' });
    expect(seenFrom(w.site)['copies/high.js']).toBe('644 export const high = 4.2;\n');
    const kept = path.join(w.site, '.bevelstone/kept', forced.result.id, w.site, 'copies/high.js');
    expect(readFileSync(kept, 'utf8')).toBe('by hand too\n');
  });

  itAt(kind)('says what failed, and what is in place', async () => {
    const w = await deploymentWorkspace(
      kind,
      `${linkedMap}\nfirst: ["test ! -e ../../closed || { echo the harbour is closed; exit 3; }"]\nthen: [{ run: "test ! -e ../../slow || sleep 60", at-most: 5 min }]`,
    );
    // The connection counts too, and on a busy machine it alone can take a second: only one deployment has so little.
    const limit = (from: string, to: string) => {
      const config = path.join(w.folder, 'bevelstone.yaml');
      const text = readFileSync(config, 'utf8').replace(`at-most: ${from}`, `at-most: ${to}`);
      w.commit('chore: another limit', { 'bevelstone.yaml': text });
    };
    await w.deploy();
    const old = seenFrom(w.site);
    await w.releaseFiles('feat: mean tide', secondFiles);
    writeFileSync(path.join(w.site, 'closed'), '');

    const before = await w.deploy();
    rmSync(path.join(w.site, 'closed'));
    const untouched = seenFrom(w.site);
    writeFileSync(path.join(w.site, 'slow'), '');
    limit('5 min', '1 s');
    const after = await w.deploy();
    limit('1 s', '5 min');
    rmSync(path.join(w.site, 'slow'));
    const back = await w.deploy(['--back']);

    expect(before).toMatchObject({ exitCode: 7, error: { code: 'DEPLOY_FAILED' } });
    expect(before.error?.why).toMatch(/exit code 3[\s\S]*the harbour is closed/);
    expect(before.error?.fix).toMatch(/still has what it had before/);
    expect(untouched).toEqual(old);
    expect(after).toMatchObject({ exitCode: 7, error: { code: 'DEPLOY_FAILED' } });
    expect(after.error?.why).toMatch(/longer than 1 s/);
    expect(after.error?.fix).toMatch(/deploy --back --to harbour/);
    expect(back).toMatchObject({ error: null, result: { state: 'returned', version: '0.1.0' } });
    expect(seenFrom(w.site)).toEqual(old);
  });

  itAt(kind)('one of two deployments at the same time is refused or comes second', async () => {
    const w = await deploymentWorkspace(kind, linkedMap);

    const runs = await Promise.all([w.deploy(), w.deploy()]);

    const codes = runs.map(({ error }) => error?.code ?? 'done').sort();
    expect([
      ['DEPLOY_BUSY', 'done'],
      ['DEPLOY_UNFINISHED', 'done'],
      ['done', 'done'],
    ]).toContainEqual(codes);
    expect((await w.deploy()).result.state).toBe('already-there');
    expect(versionsOn(w)).toEqual(['0.1.0']);
  });
});

describe('deploying', () => {
  it('waits for the health check, and gives up in time', async () => {
    const w = await deploymentWorkspace('folder', `${linkedMap}\nuntil: http://127.0.0.1:9/health\nwithin: 1 s`);

    const run = await w.deploy();

    expect(run).toMatchObject({ exitCode: 7, error: { code: 'DEPLOY_FAILED' } });
    expect(run.error?.why).toMatch(/127\.0\.0\.1:9/);
  });

  itAt('ssh')('says what the ssh client says when a machine cannot be reached', async () => {
    const w = await deploymentWorkspace('ssh', linkedMap);
    const config = readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8');
    const known = /known-hosts: (.*)/.exec(config)?.[1] ?? '';
    writeFileSync(known, '');

    const run = await w.deploy();

    expect(run).toMatchObject({ exitCode: 5, error: { code: 'TARGET_UNREACHABLE' } });
    expect(run.error?.why).toMatch(/Host key verification failed/);
    expect(existsSync(w.site)).toBe(false);
  });

  itAsRoot('gives linked and copied files their owner, and nothing else beside them', async () => {
    const w = await deploymentWorkspace(
      'folder',
      'map:\n  - { from: tables, to: tables, owner: "daemon:daemon" }\n  - { from: depth.js, to: etc/depth.js, copy: true, owner: daemon }',
    );
    mkdirSync(path.join(w.site, 'etc'), { recursive: true });
    writeFileSync(path.join(w.site, 'etc/own.js'), '');

    const run = await w.deploy();

    expect(run.error).toBeNull();
    const ownerOf = (file: string) => statSync(path.join(w.site, file)).uid;
    expect(ownerOf('tables/low.js')).toBeGreaterThan(0);
    expect(ownerOf('etc/depth.js')).toBe(ownerOf('tables/low.js'));
    expect([ownerOf('etc/own.js'), ownerOf('current/README.md')]).toEqual([0, 0]);
  });

  it('never follows or replaces a link that is not its own', async () => {
    const w = await deploymentWorkspace('folder', linkedMap);
    const elsewhere = path.join(w.top, 'elsewhere');
    mkdirSync(elsewhere);
    mkdirSync(w.site);
    symlinkSync(elsewhere, path.join(w.site, 'tables'));

    const run = await w.deploy();

    expect(run.error).toMatchObject({ code: 'DEPLOY_BLOCKED' });
    expect(readdirSync(elsewhere)).toEqual([]);
    expect(readlinkSync(path.join(w.site, 'tables'))).toBe(elsewhere);
  });

  it('copies into a folder that is there, and keeps what else is in it', async () => {
    const w = await deploymentWorkspace('folder', linkedMap);
    mkdirSync(path.join(w.site, 'tables'), { recursive: true });
    writeFileSync(path.join(w.site, 'tables/own.js'), 'not ours\n');
    writeFileSync(path.join(w.site, 'tables/low.js'), 'older than us\n');

    const refused = await w.deploy();
    const run = await w.deploy(['--overwrite-changed']);

    expect(refused.error).toMatchObject({ code: 'DEPLOY_CHANGED' });
    expect(run.result).toMatchObject({ state: 'deployed', isAtomic: false });
    expect(seenFrom(w.site)).toMatchObject({
      'tables/own.js': '644 not ours\n',
      'tables/low.js': '644 export const low = 0.4;\n',
    });
  });

  it('keeps as many earlier releases as the configuration says', async () => {
    const w = await deploymentWorkspace('folder', `${linkedMap}\nearlier: 1`);
    await w.deploy();
    for (const number of [1, 2]) {
      await w.releaseFiles('feat: more', { 'soundings/tables/more.js': `export const more = ${number};\n` });
      await w.deploy();
    }

    expect(versionsOn(w).sort()).toEqual(['0.1.1', '0.1.2']);
    expect((await w.deploy(['--back'])).result.version).toBe('0.1.1');
    expect((await w.deploy(['--back'])).error?.code).toBe('DEPLOY_NOTHING_BEFORE');
  });

  it('deploys an older release by its version', async () => {
    const w = await deploymentWorkspace('folder', linkedMap);
    await w.deploy();
    const old = seenFrom(w.site);
    await w.releaseFiles('feat: mean tide', secondFiles);
    await w.deploy();

    const run = await w.deploy(['soundings@0.1.0']);

    expect(run.result).toMatchObject({ state: 'deployed', version: '0.1.0', before: '0.1.1' });
    expect(seenFrom(w.site)).toEqual(old);
  });

  it('refuses a state that it cannot believe', async () => {
    const w = await deploymentWorkspace('folder', linkedMap);
    mkdirSync(path.join(w.site, '.bevelstone'), { recursive: true });
    const elsewhere =
      '{"name":"harbour","current":"../../etc-20260101-000000-00000000","pending":null,"deployments":[]}';
    const states = [
      ['{"schema":"bevelstone/1"}', 'is missing'],
      ['{', 'not JSON'],
      ['{"schema":"bevelstone/2"}', 'newer version'],
      [`{"schema":"bevelstone/1",${elsewhere.slice(1)}`, 'current'],
    ] as const;
    for (const [text, why] of states) {
      writeFileSync(path.join(w.site, '.bevelstone/state.json'), text);

      const run = await w.deploy();

      expect(run.error).toMatchObject({ code: 'DEPLOY_STATE_DAMAGED' });
      expect(run.error?.why).toContain(why);
      expect(existsSync(path.join(w.site, 'current'))).toBe(false);
    }
  });

  it('says what is wrong with a command line', async () => {
    const w = await deploymentWorkspace('folder', linkedMap);
    const lines = [
      [['--to', 'harbor'], 'CONFIG_UNKNOWN_REFERENCE', 'harbour'],
      [['soundings@9.9.9', '--to', 'harbour'], 'RELEASE_NOT_RECORDED', ''],
      [['--resume', '--to', 'harbour'], 'RUN_NOT_FOUND', ''],
      [['soundings', '--resume', '--to', 'harbour'], 'USAGE', ''],
      [['--back', '--resume', '--to', 'harbour'], 'USAGE', ''],
    ] as const;
    for (const [args, code, fix] of lines) {
      const run = await bevelstoneJson(['deploy', ...args, '--yes'], { cwd: w.folder, env: w.env });

      expect(run.error?.code).toBe(code);
      expect(run.error?.fix).toContain(fix);
    }
  });

  it('asks first, and shows what would happen', async () => {
    const w = await deploymentWorkspace('folder', linkedMap);

    const run = await bevelstone(['deploy'], { cwd: w.folder, env: w.env });

    expect(run.stderr).toMatch(/About to deploy soundings 0\.1\.0 to harbour/);
    expect(run.stderr).toMatch(/CONFIRMATION_NEEDED/);
    expect(existsSync(w.site)).toBe(false);
  });
});

describe('a target that someone prepared', () => {
  it.each(['versions', '.bevelstone', 'current'])(
    'is refused when %s leads elsewhere, and nothing there is touched',
    async (name) => {
      const w = await deploymentWorkspace('folder', linkedMap);
      const elsewhere = path.join(w.top, 'elsewhere');
      mkdirSync(path.join(elsewhere, 'precious'), { recursive: true });
      mkdirSync(w.site);
      symlinkSync(elsewhere, path.join(w.site, name));

      const run = await w.deploy(['--overwrite-changed']);

      expect(run.error).toMatchObject({ code: 'DEPLOY_BLOCKED' });
      expect(readdirSync(elsewhere)).toEqual(['precious']);
    },
  );

  it('keeps what lies beside the releases', async () => {
    const w = await deploymentWorkspace('folder', `${linkedMap}\nearlier: 1`);
    mkdirSync(path.join(w.site, 'versions/own'), { recursive: true });

    expect((await w.deploy()).error).toBeNull();
    expect(existsSync(path.join(w.site, 'versions/own'))).toBe(true);
  });
});
