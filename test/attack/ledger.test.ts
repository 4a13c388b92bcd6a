import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import type { LedgerEvent, PlannedEvent } from '../../src/core/record/event.ts';
import { eventId } from '../../src/core/record/event-id.ts';
import { eventFile, eventsIn, forgeLedger } from '../builders/forged-ledger.ts';
import { listener } from '../builders/listener.ts';
import { bevelstoneJson } from '../builders/program.ts';
import { type ReleaseWorkspace, releaseWorkspace, uploads } from '../builders/release-workspace.ts';
import { goodToken } from '../builders/workspace.ts';

const remoteOf = ({ top }: ReleaseWorkspace) => path.join(top, 'remote.git');
/** An event with other fields, and the id that fits them. */
const forge = <Event extends LedgerEvent>(event: Event, more: Record<string, unknown>): Event => {
  const forged = { ...event, ...more };
  return { ...forged, id: eventId(forged) };
};
const run = (w: ReleaseWorkspace, ...args: string[]) => bevelstoneJson(args, { cwd: w.folder, env: w.env });

/** A release that was pushed and then cut short, as it lies on the remote. */
async function cutShort(): Promise<{ w: ReleaseWorkspace; clone: ReleaseWorkspace; planned: PlannedEvent }> {
  const w = await releaseWorkspace();
  await w.release([], { BEVELSTONE_FAULT: 'push::after-done' }).catch(() => null);
  const planned = eventsIn(remoteOf(w)).find((event): event is PlannedEvent => event.type === 'planned');
  if (planned === undefined) throw new Error('nothing was planned');
  return { w, clone: w.clone('another-machine'), planned };
}

function delivered({ at, run: by, package: name, version, artifacts }: PlannedEvent, address: string): LedgerEvent {
  const [artifact] = artifacts;
  const own = { type: 'delivered', destination: 'office', artifact: artifact?.file, sha256: artifact?.sha256 };
  return forgeBare({ ...own, address, alreadyThere: false, at, run: by, seq: 0, package: name, version });
}

function forgeBare(event: Record<string, unknown>): LedgerEvent {
  return { ...event, id: eventId(event as never) } as unknown as LedgerEvent;
}

describe('a forged ledger', () => {
  it('gets neither the token nor a file outside of the repository', async () => {
    const attacker = await listener();
    const { clone, planned } = await cutShort();
    const [artifact] = planned.artifacts;
    const leaving = {
      ...planned,
      version: '../../../../escaped',
      run: '../../../../escaped',
      at: '2020-01-01T00:00:00.000Z',
    };
    const bad = forgeBare({ ...leaving, artifacts: [{ ...artifact, file: '../../../../../escaped.txt' }] });
    const files = {
      ...eventFile(forge(planned, { version: '9.9.9', at: '2020-01-01T00:00:00.000Z' })),
      ...eventFile(delivered(planned, `${attacker.url}soundings-0.1.0.tgz`)),
      [`soundings/9.9.9/${bad.id}.json`]: JSON.stringify(bad),
    };
    forgeLedger(remoteOf(clone), files);

    const resumed = await clone.release(['--resume']);

    expect(resumed.error).toBeNull();
    expect(resumed.result.releases).toMatchObject([{ version: '0.1.0' }]);
    expect(attacker.asked).toEqual([]);
    expect(readdirSync(clone.top).filter((name) => name.startsWith('escaped'))).toEqual([]);
    expect(existsSync('/escaped.txt')).toBe(false);
    expect(resumed.warnings.join('\n')).toContain('the ledger is damaged');
  });

  it('with a release that no tag vouches for is not finished', async () => {
    const attacker = await listener();
    const w = await releaseWorkspace();
    await w.release();
    const planned = eventsIn(remoteOf(w)).find(
      (event): event is PlannedEvent => event.type === 'planned',
    ) as PlannedEvent;
    const forged = forge(planned, { version: '0.2.0', tag: 'v0.2.0', run: '20300101-000000-00000000' });
    forgeLedger(remoteOf(w), { ...eventFile(forged), ...eventFile(delivered(forged, `${attacker.url}x.tgz`)) });

    const clone = w.clone('another-machine');
    const any = await clone.release(['--resume']);
    const named = await clone.release(['--resume', '20300101-000000-00000000']);

    expect([any.exitCode, any.error?.code]).toEqual([3, 'PLAN_UNVERIFIED']);
    expect([named.exitCode, named.error?.code]).toEqual([3, 'PLAN_UNVERIFIED']);
    expect(attacker.asked).toEqual([]);
  });

  it('cannot change what a tag vouches for, even with an earlier id', async () => {
    const { clone, planned } = await cutShort();
    const [artifact] = planned.artifacts;
    const early = { at: '2020-01-01T00:00:00.000Z', artifacts: [{ ...artifact, sha256: 'e'.repeat(64) }] };
    forgeLedger(remoteOf(clone), eventFile(forge(planned, early)));

    const resumed = await clone.release(['--resume']);

    expect(resumed.error).toBeNull();
    expect(resumed.result.releases[0].deliveries[0]).toMatchObject({ confirmed: 'bytes', sha256: artifact?.sha256 });
    expect(uploads(clone)).toEqual([1]);
  });

  it('that hides what is missing does not keep a run from being finished by its name', async () => {
    const { clone, planned } = await cutShort();
    forgeLedger(
      remoteOf(clone),
      eventFile(delivered(planned, `${clone.env['OFFICE']}soundings/-/soundings-0.1.0.tgz`)),
    );

    const resumed = await clone.release(['--resume', planned.run]);

    expect(resumed.error).toBeNull();
    expect(uploads(clone)).toEqual([1]);
  });

  it('that takes events away does not make this clone forget them', async () => {
    const w = await releaseWorkspace();
    await w.release();
    const remote = remoteOf(w);
    const head = w.git('rev-parse', 'refs/bevelstone/ledger');
    w.git('push', '--quiet', 'origin', ':refs/bevelstone/ledger');
    forgeLedger(remote, { 'soundings/0.1.0/readme.txt': 'gone' });

    w.commit('fix: the lock gate', { 'soundings/depth.js': 'export const depth = 4.3;\n' });
    const next = await w.release();
    const listed = await run(w, 'ledger', 'list');

    expect(next.error).toBeNull();
    expect(listed.result.releases.map(({ version }: { version: string }) => version)).toEqual(['0.1.1', '0.1.0']);
    expect(w.git('ls-tree', '-r', '--name-only', 'refs/bevelstone/ledger')).not.toContain('readme.txt');
    expect(w.git('merge-base', '--is-ancestor', head, 'refs/bevelstone/ledger')).toBe('');
  });
});

describe('a forged address in the ledger', () => {
  it('is neither shown, asked nor copied from', async () => {
    const attacker = await listener();
    const w = await releaseWorkspace({ destinations: ['office', 'upstairs'] });
    await w.release();
    const planned = eventsIn(remoteOf(w)).find(
      (event): event is PlannedEvent => event.type === 'planned',
    ) as PlannedEvent;
    const early = forge(delivered(planned, `${attacker.url}soundings-0.1.0.tgz`), { at: '2020-01-01T00:00:00.000Z' });
    forgeLedger(remoteOf(w), eventFile(early));
    w.git('fetch', '--quiet', 'origin', '+refs/bevelstone/ledger:refs/bevelstone/ledger');

    const lines = await run(w, 'ledger', 'lines', 'soundings@0.1.0');
    const confirmed = await run(w, 'confirm', 'soundings@0.1.0', '--within', '1 s');
    const promoted = await run(w, 'promote', 'soundings@0.1.0', '--from', 'office', '--to', 'upstairs', '--yes');

    expect(JSON.stringify(lines.result)).toContain('npm install soundings@0.1.0');
    expect(JSON.stringify(lines.result)).not.toContain(attacker.origin);
    expect(lines.warnings.join('\n')).toContain('two addresses');
    expect(JSON.stringify(confirmed.result)).not.toContain(attacker.origin);
    expect([4, 5]).toContain(promoted.exitCode);
    expect(attacker.asked).toEqual([]);
  });

  it('does not get in the way of the older one', async () => {
    const w = await releaseWorkspace();
    await w.release();

    const lines = await run(w, 'ledger', 'lines', 'soundings@0.1.0');
    const confirmed = await run(w, 'confirm', 'soundings@0.1.0');

    expect(lines.warnings).toEqual([]);
    expect(JSON.stringify(lines.result)).toContain(w.env['OFFICE']);
    expect(confirmed.result.releases[0].steps[0].state).toBe('installed');
  });
});

describe('a tag made by hand', () => {
  it('vouches for no plan, so only names and versions are shown', async () => {
    const w = await releaseWorkspace({ more: 'write-back: { commit: false }\n' });
    w.git('tag', '-a', 'v0.3.0', '-m', 'by hand');
    w.git('push', '--quiet', 'origin', 'v0.3.0');
    const released = await w.release(['--tagged', 'v0.3.0']);

    const lines = await run(w, 'ledger', 'lines', 'soundings@0.3.0');
    const confirmed = await run(w, 'confirm', 'soundings@0.3.0', '--within', '1 s');
    const promoted = await run(w, 'promote', 'soundings@0.3.0', '--from', 'office', '--to', 'office', '--yes');

    expect(released.error).toBeNull();
    expect(lines.result.lines).toMatchObject([{ client: 'npm', text: expect.stringContaining('soundings@0.3.0') }]);
    expect(lines.warnings.join('\n')).toContain('does not name this plan');
    expect(confirmed.result.releases[0].steps).toMatchObject([
      { state: 'visible', why: expect.stringContaining('not compared') },
    ]);
    expect([promoted.exitCode, promoted.error?.code]).toEqual([3, 'PLAN_UNVERIFIED']);
  });
});

it('never prints a token because of a forged event', async () => {
  const { clone, planned } = await cutShort();
  writeFileSync(path.join(clone.top, 'note'), goodToken);
  forgeLedger(remoteOf(clone), {
    'soundings/0.1.0/x.json': '{"type":"planned"}',
    ...eventFile(forge(planned, { tag: 'v0.1.0/x' })),
  });

  const shown = await run(clone, 'ledger', 'list');

  expect(shown.exitCode).toBe(0);
  expect(shown.stdout + shown.stderr).not.toContain(goodToken);
});
