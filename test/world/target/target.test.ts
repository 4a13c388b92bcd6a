import { statSync, writeFileSync } from 'node:fs';
import { userInfo } from 'node:os';
import path from 'node:path';
import { describe, expect, onTestFinished } from 'vitest';
import { openFolderTarget } from '../../../src/world/target/folder-target.ts';
import { openSftpTarget } from '../../../src/world/target/sftp-target.ts';
import type { Target } from '../../../src/world/target/target.ts';
import { itAt, kinds, type TargetKind } from '../../builders/deployment.ts';
import { temporaryFolder } from '../../builders/repository.ts';
import { startSshServer } from '../../builders/ssh-server.ts';

/** A target on this machine in a folder of its own, closed when the test ends. */
async function openTarget(kind: TargetKind): Promise<Target> {
  const folder = temporaryFolder();
  const env = { PATH: process.env['PATH'] ?? '' };
  const { signal } = new AbortController();
  if (kind === 'folder') return openFolderTarget({ folder, env, signal });
  const { port, key, knownHosts } = await startSshServer();
  const login = { host: '127.0.0.1', user: userInfo().username, port, key, knownHosts };
  const target = await openSftpTarget({ ...login, folder, where: 'ssh://harbour', env, signal });
  onTestFinished(() => target.close());
  return target;
}

describe.each(kinds)('a target of the kind %s', (kind) => {
  itAt(kind)('takes a folder that another makes in the same moment', async () => {
    const target = await openTarget(kind);
    const place = path.join(target.folder, 'tides/tables');

    await Promise.all([target.makeFolder(place), target.makeFolder(place), target.makeFolder(place)]);

    expect(statSync(place).isDirectory()).toBe(true);
  });

  itAt(kind)('refuses a folder where a file is, and below it', async () => {
    const target = await openTarget(kind);
    const place = path.join(target.folder, 'tides');
    writeFileSync(place, '');

    await expect(target.makeFolder(place)).rejects.toMatchObject({ code: 'TARGET_REFUSED' });
    await expect(target.makeFolder(`${place}/tables`)).rejects.toMatchObject({ code: 'TARGET_REFUSED' });
  });
});
