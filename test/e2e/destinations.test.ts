import { execFileSync } from 'node:child_process';
import { chmodSync, existsSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { execa } from 'execa';
import { describe, expect, it } from 'vitest';
import { testStandin } from '../builders/parcel.ts';
import { bevelstone, bevelstoneJson, programFile } from '../builders/program.ts';
import { temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { itWith } from '../builders/tools.ts';
import { demoWorkspace, goodToken, nodePackages, type TestWorkspace, tokenFor } from '../builders/workspace.ts';

type Step = { client: string; destination: string; state: string; why: string | null };

async function published(...packages: string[]): Promise<TestWorkspace> {
  const w = await demoWorkspace();
  await bevelstone(['build', ...packages], { cwd: w.folder });
  const run = await bevelstoneJson(['publish', ...packages, '--push-tag', '--yes'], { cwd: w.folder, env: w.env });
  expect(run.error).toBeNull();
  return w;
}

const inClone = (w: TestWorkspace) => {
  // Beside the workspace, so that the folder destination is the same place.
  const clone = path.join(w.top, 'clone');
  execFileSync('git', ['clone', '--quiet', path.join(w.top, 'fenmarsh-tides.git'), clone]);
  return clone;
};

describe('probe', () => {
  it('asks every destination side by side, and says what each lets us do', async () => {
    const w = await demoWorkspace();

    const run = await bevelstoneJson(['probe'], { cwd: w.folder, env: w.env });

    expect(run.exitCode).toBe(0);
    const found = Object.fromEntries(
      run.result.destinations.map((destination: { name: string; credential: string; reachable: boolean }) => [
        destination.name,
        destination,
      ]),
    );
    expect(Object.keys(found).sort()).toEqual(
      [
        'archive',
        'modules',
        'office',
        'office-crates',
        'office-maven',
        'office-nuget',
        'office-python',
        'registry',
        'shelf',
        'upstairs',
      ].sort(),
    );
    expect(found['office']).toMatchObject({ reachable: true, credential: 'accepted', why: 'as harbour-desk' });
    expect(found['office'].packages).toContainEqual(
      expect.objectContaining({
        name: 'tidemark',
        version: '1.4.0',
        nameState: 'free',
        versionState: 'free',
        opens: 'more',
      }),
    );
    expect(w.git('for-each-ref', 'refs/bevelstone')).toBe('');
  });

  it('asks only where the packages named go, and a destination named alone about its own kind of name', async () => {
    const w = await demoWorkspace();

    const own = await bevelstoneJson(['probe', '-p', 'gauges'], { cwd: w.folder, env: w.env });
    const alone = await bevelstoneJson(['probe', 'office-maven', '-p', 'gauges'], { cwd: w.folder, env: w.env });

    expect(own.result.destinations.map((destination: { name: string }) => destination.name)).toEqual(['office']);
    expect(alone.result.destinations[0]).toMatchObject({
      name: 'office-maven',
      reachable: true,
      credential: 'unknown',
    });
  });

  it('tells a refused credential, a missing one, a taken name and a used version apart, all at once', async () => {
    const w = await published(...nodePackages);
    const other = await testStandin({ tokens: [tokenFor(goodToken, { user: 'stranger' })], store: w.store });
    const env = { ...w.env, TIDE_OFFICE_URL: other.urlFor('npm-registry'), TIDE_OFFICE: 'http://127.0.0.1:9' };
    Object.assign(env, { BEVELSTONE_TRUST: `${other.url},http://127.0.0.1:9` });
    w.git('update-ref', '-d', 'refs/bevelstone/ledger');
    w.git(
      'push',
      '--quiet',
      'origin',
      ':refs/bevelstone/ledger',
      ':refs/tags/tidemark/1.4.0',
      ':refs/tags/gauges/0.2.1',
    );
    w.git('tag', '-d', 'tidemark/1.4.0', 'gauges/0.2.1');

    const run = await bevelstoneJson(['probe', 'office', 'upstairs'], { cwd: w.folder, env });
    const refused = await bevelstoneJson(['probe', 'office'], {
      cwd: w.folder,
      env: { ...w.env, TIDE_OFFICE_TOKEN: 'wrong-token-00' },
    });
    const missing = await bevelstoneJson(['probe', 'office'], {
      cwd: w.folder,
      env: { ...w.env, TIDE_OFFICE_TOKEN: '' },
    });

    expect(run).toMatchObject({ exitCode: 5, error: { code: 'PROBE_FAILED' } });
    expect(run.error?.why).toMatch(/the name tidemark is taken at office: it belongs to harbour-desk/);
    expect(run.error?.why).toMatch(/tidemark 1\.4\.0 is at office already/);
    expect(run.error?.why).toMatch(/upstairs could not be asked: .*nothing listens/);
    expect(refused.result.destinations[0]).toMatchObject({ reachable: true, credential: 'refused' });
    expect(missing.result.destinations[0]).toMatchObject({ credential: 'missing' });
    expect([refused.exitCode, missing.exitCode]).toEqual([5, 5]);
  });

  it('keeps a credential that worked, for its owner alone, and none that was refused', async () => {
    const w = await demoWorkspace();
    const home = temporaryFolder();
    const keep = (secret: string) =>
      execa(process.execPath, [programFile, 'probe', 'office', '--keep', 'office', '--json'], {
        cwd: w.folder,
        env: testEnvironment({ ...w.env, XDG_CONFIG_HOME: home }),
        extendEnv: false,
        reject: false,
        input: secret,
      });
    const file = path.join(home, 'bevelstone', 'kept.yaml');

    const wrong = await keep('wrong-token-00\n');
    const isKept = existsSync(file);
    const right = await keep(`${goodToken}\n`);
    w.edit('bevelstone.yaml', (text) => text.replace('credential: env:TIDE_OFFICE_TOKEN', 'credential: kept:office'));
    const env = { ...w.env, XDG_CONFIG_HOME: home };
    const used = await bevelstoneJson(['probe', 'office'], { cwd: w.folder, env });
    chmodSync(file, 0o640);
    const wide = await bevelstoneJson(['probe', 'office'], { cwd: w.folder, env });

    expect([wrong.exitCode, isKept]).toEqual([5, false]);
    expect(right.exitCode).toBe(0);
    expect(JSON.parse(right.stdout).result.kept).toBe(file);
    expect(statSync(path.dirname(file)).mode & 0o777).toBe(0o700);
    expect(right.stdout + right.stderr).not.toContain(goodToken);
    expect(used.result.destinations[0].credential).toBe('accepted');
    expect(wide.result.destinations[0].why).toMatch(/mode is 0640/);
  });
});

describe('rehearse', () => {
  it('installs what was built by name from throw-away stand-ins, with what it needs, and runs the trials', async () => {
    const w = await demoWorkspace();
    await bevelstone(['build', ...nodePackages], { cwd: w.folder });

    const run = await bevelstoneJson(['rehearse', ...nodePackages, '--everyone'], { cwd: w.folder, env: w.env });

    expect(run.exitCode).toBe(0);
    const steps = run.result.releases.flatMap(({ package: name, steps: own }: { package: string; steps: Step[] }) =>
      own.map(({ client, state, destination }) => `${name} ${client} ${destination} ${state}`),
    );
    expect(steps).toEqual([
      'tidemark npm office installed',
      'tidemark fetch shelf unpacked',
      'gauges npm office installed',
    ]);
    expect(run.result.everyone).toMatchObject([{ client: 'npm', state: 'installed' }]);
    expect(w.git('for-each-ref', 'refs/bevelstone')).toBe('');
    expect(readdirSync(w.top)).not.toContain('shelf');
  });

  it('says what a new user would see: a trial that fails, a name from elsewhere, a version that is not here', async () => {
    const w = await demoWorkspace();
    w.edit('packages/tidemark/package.json', (text) => text.replace('"@saltmarsh/lunar": "^2.1.0"', ''));
    w.edit('packages/gauges/package.json', (text) =>
      text.replace('"@saltmarsh/lines": "^0.9.0"', '"almanac": "^1.0.0"'),
    );
    w.edit('bevelstone.yaml', (text) =>
      text
        .replace(
          / {4}trial:\n {6}- node -e "import\('tidemark'\).*\n/,
          '    trial:\n      - { run: node -e "process.exit(3)" }\n      - { client: npm, versions: ["7"] }\n',
        )
        .replace(/^rehearse:[\s\S]*?^confirm:.*$/m, 'rehearse: { required: true }'),
    );
    await bevelstone(['build', ...nodePackages], { cwd: w.folder });

    const run = await bevelstoneJson(['rehearse', ...nodePackages], { cwd: w.folder, env: w.env });

    expect(run).toMatchObject({ exitCode: 5, error: { code: 'TRIAL_FAILED' } });
    expect(run.error?.why).toMatch(/tidemark 1\.4\.0 with npm from office: node -e .* ended with 3/);
    expect(run.error?.why).toMatch(/not rehearsed: almanac comes from elsewhere/);
    const steps: Step[] = run.result.releases[0].steps;
    expect(steps.find(({ state }) => state === 'not-here')?.why).toMatch(/no npm with 7 here/);
  });

  itWith('java', 'mvn')('installs for the JVM with Maven, and runs the class', async () => {
    const w = await demoWorkspace();
    await bevelstone(['build', '-p', 'tidemark-jvm'], { cwd: w.folder });

    const run = await bevelstoneJson(['rehearse', '-p', 'tidemark-jvm'], { cwd: w.folder, env: w.env });

    expect(run.result.releases[0].steps).toMatchObject([{ client: 'maven', state: 'installed', why: null }]);
  });

  it('takes names outside the workspace from upstream', async () => {
    const upstream = await published('-p', 'tidemark');
    const w = await demoWorkspace();
    w.edit('bevelstone.yaml', (text) => text.replace('env:TIDE_SUPPLIES/node/', upstream.url));
    await bevelstone(['build', '-p', 'gauges'], { cwd: w.folder });

    const run = await bevelstoneJson(['rehearse', '-p', 'gauges'], { cwd: w.folder, env: w.env });

    expect(run.result.releases[0].steps).toMatchObject([{ client: 'npm', state: 'installed' }]);
  });
});

describe('confirm', () => {
  it('installs a release from where it was delivered, in any clone', async () => {
    const w = await published(...nodePackages);

    const run = await bevelstoneJson(['confirm', '--within', '5 s'], { cwd: inClone(w), env: w.env });

    expect(run.exitCode).toBe(0);
    const steps = run.result.releases.flatMap(({ steps: own }: { steps: Step[] }) => own);
    expect(steps.map(({ client, state }: Step) => `${client} ${state}`).sort()).toEqual(
      ['npm installed', 'npm installed', 'fetch unpacked'].sort(),
    );
  });

  it('says what is not there for everybody: other bytes, or nothing', async () => {
    const w = await published(...nodePackages);
    const tarball = path.join(w.store, 'node');
    const files = readdirSync(tarball, { recursive: true, encoding: 'utf8' }).filter((name) =>
      name.includes('1%2E4%2E0%2Etgz'),
    );
    for (const file of files) writeFileSync(path.join(tarball, file), 'other bytes');

    const run = await bevelstoneJson(['confirm', 'tidemark@1.4.0', '--within', '1 s'], { cwd: w.folder, env: w.env });
    const unknown = await bevelstoneJson(['confirm', 'tidemork@1.4.0'], { cwd: w.folder, env: w.env });

    expect(files).toHaveLength(1);
    expect(run).toMatchObject({ exitCode: 5, error: { code: 'NOT_CONFIRMED' } });
    expect(run.error?.why).toMatch(/tidemark 1\.4\.0 at office is failed: .*other bytes came back/);
    expect(unknown).toMatchObject({
      exitCode: 2,
      error: { code: 'RELEASE_NOT_RECORDED', fix: 'Did you mean "tidemark"?' },
    });
  });
});

describe('promote and withdraw', () => {
  const twoOffices = (text: string) =>
    text
      .replace('    send-to: [office, shelf]', '    send-to: [office]')
      .replace(
        '  office-python:',
        '  public:\n    speaks: npm-registry\n    url: env:PUBLIC_URL\n    credential: env:TIDE_OFFICE_TOKEN\n  office-python:',
      );

  it('copies the very bytes to another destination, once, and records it', async () => {
    const w = await demoWorkspace();
    w.edit('bevelstone.yaml', twoOffices);
    await bevelstone(['build', '-p', 'tidemark'], { cwd: w.folder });
    await bevelstone(['publish', '-p', 'tidemark', '--push-tag', '--yes'], { cwd: w.folder, env: w.env });
    const publicOffice = await testStandin();
    const env = {
      ...w.env,
      PUBLIC_URL: publicOffice.urlFor('npm-registry'),
      BEVELSTONE_TRUST: `${w.env['BEVELSTONE_TRUST']},${publicOffice.url}`,
    };
    const args = ['promote', 'tidemark@1.4.0', '--from', 'office', '--to', 'public', '--yes'];

    const dry = await bevelstoneJson([...args, '--dry-run'], { cwd: w.folder, env });
    const first = await bevelstoneJson(args, { cwd: w.folder, env });
    const second = await bevelstoneJson(args, { cwd: w.folder, env });
    const { result } = await bevelstoneJson(['ledger', 'list'], { cwd: inClone(w) });

    expect(dry.result.deliveries).toMatchObject([{ state: 'pending' }]);
    expect(first.result.deliveries).toMatchObject([{ destination: 'public', state: 'promoted', confirmed: 'bytes' }]);
    expect(second.result.deliveries).toMatchObject([{ state: 'already-there' }]);
    expect(result.releases[0].deliveries).toMatchObject([
      { destination: 'office', state: 'delivered' },
      { destination: 'public', state: 'promoted' },
    ]);
  });

  it('refuses to promote bytes that differ from those delivered', async () => {
    const w = await demoWorkspace();
    w.edit('bevelstone.yaml', twoOffices);
    await bevelstone(['build', '-p', 'tidemark'], { cwd: w.folder });
    await bevelstone(['publish', '-p', 'tidemark', '--push-tag', '--yes'], { cwd: w.folder, env: w.env });
    const store = path.join(w.store, 'node');
    for (const name of readdirSync(store, { recursive: true, encoding: 'utf8' }))
      if (name.endsWith('tgz')) writeFileSync(path.join(store, name), 'other bytes');

    const run = await bevelstoneJson(['promote', 'tidemark@1.4.0', '--from', 'office', '--to', 'public', '--yes'], {
      cwd: w.folder,
      env: { ...w.env, PUBLIC_URL: w.url },
    });

    expect(run).toMatchObject({ exitCode: 5, error: { code: 'DELIVERY_DIFFERS' } });
  });

  it('withdraws as far as the protocol allows, says what stays, and keeps the record', async () => {
    const w = await published(...nodePackages);
    const withdraw = (from: string, ...more: string[]) =>
      bevelstoneJson(['withdraw', 'tidemark@1.4.0', '--from', from, '--reason', 'Low water an hour late', ...more], {
        cwd: w.folder,
        env: w.env,
      });

    const asked = await withdraw('office');
    const office = await withdraw('office', '--yes');
    const again = await withdraw('office', '--yes');
    const shelf = await withdraw('shelf', '--yes');
    const clone = inClone(w);
    const { result } = await bevelstoneJson(['ledger', 'list', '-p', 'tidemark'], { cwd: clone });

    expect(asked).toMatchObject({ exitCode: 2, error: { code: 'CONFIRMATION_NEEDED' } });
    expect(office.result).toMatchObject({ how: 'deprecated', limits: expect.stringContaining('still get it') });
    expect(again).toMatchObject({ exitCode: 4, error: { why: expect.stringContaining('already withdrawn') } });
    expect(shelf.result).toMatchObject({ how: 'deleted' });
    expect(readdirSync(path.join(w.top, 'shelf/tidemark/1.4.0'))).toEqual([]);
    const document = (await (await fetch(`${w.url}tidemark`)).json()) as {
      versions: Record<string, { deprecated: string }>;
    };
    expect(document.versions['1.4.0']?.deprecated).toBe('Low water an hour late');
    const survey = await bevelstone(['survey'], { cwd: clone, env: w.env });
    expect(survey.stderr).toContain(
      'the last release of tidemark, 1.4.0, was withdrawn from office (Low water an hour late)',
    );
    expect(survey.stderr).not.toContain('is not finished');
    expect(new Set(result.releases[0].deliveries.map(({ state }: { state: string }) => state))).toEqual(
      new Set(['withdrawn']),
    );
  });
});
