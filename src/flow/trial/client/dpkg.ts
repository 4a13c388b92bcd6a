import path from 'node:path';
import { runCommand } from '../../../world/command.ts';
import { makeFolder, namesIn, writeWhole } from '../../../world/files.ts';
import type { Stage } from './client.ts';
import { lastLines } from './find-version.ts';

/** Programs that a Debian package runs while it is installed or removed (Debian Policy §6). */
const maintainerScripts: ReadonlySet<string> = new Set([
  'preinst',
  'postinst',
  'prerm',
  'postrm',
  'config',
  'triggers',
]);

/**
 * Installs a Debian package with `dpkg` into a root of its own, where it touches nothing of this machine. What it needs is not
 * there, so that is not looked at; a package with maintainer scripts is left alone, since they would run here.
 * @returns null when it was installed; `not-tried` where that was not possible; else what went wrong.
 */
export async function installDeb(
  { folder, env, signal }: Pick<Stage, 'folder' | 'env' | 'signal'>,
  file: string,
): Promise<string | 'not-tried' | null> {
  const control = path.join(folder, `${file}.control`);
  const run = (program: string, args: readonly string[]) =>
    runCommand({ program, args, folder, env: { ...env, PATH: `${env['PATH'] ?? ''}:/usr/sbin:/sbin` }, signal });
  const read = await run('dpkg-deb', ['--control', file, control]);
  if (read.type === 'missing') return 'not-tried';
  if (read.exitCode !== 0) return lastLines(read.all);
  if ((await namesIn(control)).some((name) => maintainerScripts.has(name))) return 'not-tried';
  const root = path.join(folder, `${file}.root`);
  const admin = path.join(root, 'var/lib/dpkg');
  for (const name of ['info', 'updates', 'triggers']) await makeFolder(path.join(admin, name));
  for (const name of ['status', 'available']) await writeWhole(path.join(admin, name), '');
  const options = [`--root=${root}`, '--force-depends', '--force-not-root', '--no-triggers', '--log=/dev/null'];
  const end = await run('dpkg', [...options, '--install', file]);
  if (end.type === 'missing') return 'not-tried';
  return end.exitCode === 0 ? null : lastLines(end.all);
}
