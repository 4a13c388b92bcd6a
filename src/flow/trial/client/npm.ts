import path from 'node:path';
import { runCommand } from '../../../world/command.ts';
import type { Credential } from '../../../world/credential.ts';
import { writeWhole } from '../../../world/files.ts';
import type { Client } from './client.ts';
import { findVersion, lastLines } from './find-version.ts';

/** npm, with the Node.js that runs it. */
export const npmClient: Client = {
  name: 'npm',
  installsByName: true,
  usualSeconds: 3,
  takesSecondPlace: false,
  find: async (version, env, signal) => {
    const node = await findVersion({
      names: version === null ? ['node'] : ['node', `node${version}`, `node-${version}`],
      version,
      env,
      signal,
    });
    const npm = node === null ? null : await findVersion({ names: ['npm'], version: null, env, signal });
    if (node === null || npm === null) return null;
    return { version: `${npm.version} on Node ${node.version}`, program: { ...npm, path: node.path } };
  },
  install: async (tool, { folder, home, env, signal }, wanted) => {
    await writeWhole(path.join(folder, 'package.json'), '{ "name": "visitor", "private": true }\n');
    const [first] = wanted;
    const names = wanted.map(({ offer: { release } }) => `${release.about.name}@${release.version}`);
    const bin = path.dirname(tool.program.path);
    const whole = {
      ...env,
      PATH: `${bin}${path.delimiter}${env['PATH']}`,
      npm_config_cache: path.join(home, 'npm'),
      ...npmTokenVariable(first?.offer.url ?? '', first?.credential ?? { type: 'none' }),
      ...npmTokenVariable(first?.files?.url ?? '', first?.files?.credential ?? { type: 'none' }),
    };
    const args = [
      'install',
      ...names,
      `--registry=${first?.offer.url}`,
      '--no-audit',
      '--no-fund',
      '--no-update-notifier',
    ];
    const end = await runCommand({ program: 'npm', args, folder, env: whole, signal });
    if (end.type === 'missing' || end.exitCode !== 0)
      return { type: 'failed', why: end.type === 'missing' ? 'npm is gone' : lastLines(end.all) };
    const trees = wanted.flatMap(({ offer: { release, delivered } }) =>
      delivered.map(({ artifact }) => ({
        type: 'folder' as const,
        artifact,
        folder: path.join(folder, 'node_modules', release.about.name),
        prefix: 'package/',
      })),
    );
    const scripts = path.join(folder, 'node_modules', '.bin');
    return { type: 'installed', env: { PATH: [scripts, bin, env['PATH']].join(path.delimiter) }, trees };
  },
};

/** The token goes along as a variable that npm reads ("config, environment variables"), never as an argument. */
export function npmTokenVariable(url: string, credential: Credential): Record<string, string> {
  if (credential.type !== 'token') return {};
  return { [`npm_config_${url.replace(/^https?:/, '')}:_authToken`]: credential.secret };
}
