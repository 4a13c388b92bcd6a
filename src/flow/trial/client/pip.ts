import path from 'node:path';
import { pythonIndex } from '../../../core/protocol/python-index/definition.ts';
import { runCommand } from '../../../world/command.ts';
import type { Credential } from '../../../world/credential.ts';
import type { Client } from './client.ts';
import { findVersion, lastLines } from './find-version.ts';

/** pip in an environment of its own, made by the Python that was asked for. */
export const pipClient: Client = {
  name: 'pip',
  installsByName: true,
  usualSeconds: 10,
  takesSecondPlace: true,
  find: async (version, env, signal) => {
    const python = await findVersion({
      names: version === null ? ['python3'] : [`python${version}`, 'python3'],
      version,
      env,
      signal,
    });
    if (python === null) return null;
    const venv = await runCommand({
      program: python.path,
      args: ['-c', 'import venv, ensurepip'],
      folder: '/',
      env,
      signal,
    });
    if (venv.type === 'missing' || venv.exitCode !== 0) return null;
    return { version: `Python ${python.version}`, program: python };
  },
  install: async (tool, { folder, home, env, signal }, wanted) => {
    const [first] = wanted;
    const place = path.join(folder, 'env');
    const made = await runCommand({ program: tool.program.path, args: ['-m', 'venv', place], folder, env, signal });
    if (made.type === 'missing' || made.exitCode !== 0)
      return {
        type: 'failed',
        why: `no environment could be made: ${made.type === 'missing' ? '' : lastLines(made.all)}`,
      };
    const names = wanted.map(
      ({ offer: { release } }) => `${release.about.name}==${release.about.spellings.python ?? release.version}`,
    );
    const whole = {
      ...env,
      PIP_CACHE_DIR: path.join(home, 'pip'),
      PIP_CONFIG_FILE: '/dev/null',
      PIP_INDEX_URL: withUser(first?.offer.url ?? '', first?.credential ?? { type: 'none' }),
      ...(first?.upstream == null ? {} : { PIP_EXTRA_INDEX_URL: first.upstream }),
    };
    const program = path.join(place, 'bin', 'python');
    const args = ['-m', 'pip', 'install', '--no-input', '--disable-pip-version-check', ...names];
    const end = await runCommand({ program, args, folder, env: whole, signal });
    if (end.type === 'missing' || end.exitCode !== 0)
      return { type: 'failed', why: end.type === 'missing' ? 'pip is gone' : lastLines(end.all) };
    const asked = await runCommand({
      program,
      args: ['-c', 'import sysconfig; print(sysconfig.get_path("purelib"))'],
      folder,
      env,
      signal,
    });
    const library = asked.type === 'missing' ? '' : asked.stdout.trim();
    const trees = wanted.flatMap(({ offer: { delivered } }) =>
      delivered
        .filter(({ record }) => pythonIndex.compared?.includes(record.form))
        .map(({ artifact }) => ({ type: 'folder' as const, artifact, folder: library, prefix: '' })),
    );
    return { type: 'installed', env: { PATH: [path.join(place, 'bin'), env['PATH']].join(path.delimiter) }, trees };
  },
};

/** pip takes a user in the address; as a variable it is seen by no list of processes. */
function withUser(url: string, credential: Credential): string {
  if (credential.type !== 'basic') return url;
  const whole = new URL(url);
  [whole.username, whole.password] = [encodeURIComponent(credential.user), encodeURIComponent(credential.password)];
  return whole.href;
}
