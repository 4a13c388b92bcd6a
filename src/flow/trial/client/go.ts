import path from 'node:path';
import { escapePath } from '../../../core/manifest/module-path.ts';
import { runCommand } from '../../../world/command.ts';
import { writeWhole } from '../../../world/files.ts';
import type { Client, InstalledTree, Wanted } from './client.ts';
import { findVersion, lastLines } from './find-version.ts';

/** The go command: a module that requires the releases, downloaded from the proxy alone, verified and built. */
export const goClient: Client = {
  name: 'go',
  installsByName: true,
  usualSeconds: 2,
  takesSecondPlace: true,
  find: async (version, env, signal) => {
    const go = await findVersion({ names: ['go'], version, env: { ...env, GOTOOLCHAIN: 'local' }, signal });
    return go === null ? null : { version: go.version ?? '', program: go };
  },
  install: async (_tool, { folder, home, env, signal }, wanted) => {
    const [first] = wanted;
    if (first === undefined) return { type: 'failed', why: 'there is nothing to install' };
    const places = [first.offer.url, ...(first.upstream === null ? [] : [first.upstream])];
    const whole = {
      ...env,
      GOPATH: path.join(home, 'go'),
      GOMODCACHE: path.join(home, 'go', 'pkg', 'mod'),
      GOCACHE: path.join(home, 'go-build'),
      GOENV: 'off',
      GOFLAGS: '-modcacherw',
      GOPROXY: places.map((url) => withUser(url, first.credential).replace(/\/$/, '')).join(','),
      // The checksum database knows public modules only.
      GONOSUMDB: wanted.map(({ offer: { release } }) => release.about.name).join(','),
      GOSUMDB: 'off',
      GOTOOLCHAIN: 'local',
      CGO_ENABLED: '0',
    };
    await writeWhole(path.join(folder, 'go.mod'), 'module visitor.example/visitor\n\ngo 1.19\n');
    const run = async (args: readonly string[]): Promise<string | null> => {
      const end = await runCommand({ program: 'go', args: [...args], folder, env: whole, signal });
      if (end.type === 'missing') return 'go is gone';
      return end.exitCode === 0 ? null : lastLines(end.all);
    };
    const names = wanted.map(({ offer: { release } }) => `${release.about.name}@v${release.version}`);
    for (const name of names) {
      const why = await run(['get', name]);
      if (why !== null) return { type: 'failed', why };
    }
    const why = (await run(['mod', 'verify'])) ?? (await buildAll(run, wanted));
    if (why !== null) return { type: 'failed', why };
    const { GOPATH, GOMODCACHE, GOCACHE, GOENV, GOFLAGS, GOTOOLCHAIN } = whole;
    return {
      type: 'installed',
      env: { GOPATH, GOMODCACHE, GOCACHE, GOENV, GOFLAGS, GOTOOLCHAIN, GOPROXY: 'off', GOSUMDB: 'off' },
      trees: treesOf(wanted, whole.GOMODCACHE),
    };
  },
};

/** Every package of a module that was required. */
async function buildAll(
  run: (args: readonly string[]) => Promise<string | null>,
  wanted: readonly Wanted[],
): Promise<string | null> {
  for (const { offer } of wanted) {
    const why = await run(['build', `${offer.release.about.name}/...`]);
    if (why !== null) return why;
  }
  return null;
}

/** The client unpacks a module below its path and version. */
function treesOf(wanted: readonly Wanted[], cache: string): InstalledTree[] {
  return wanted.flatMap(({ offer: { release, delivered } }) => {
    const { name } = release.about;
    const inside = path.join(cache, `${escapePath(name)}@v${escapePath(release.version)}`);
    const prefix = `${name}@v${release.version}/`;
    return delivered.map(({ artifact }) => ({ type: 'folder' as const, artifact, folder: inside, prefix }));
  });
}

/** The client takes a user in the address; as a variable it is seen by no list of processes. */
function withUser(url: string, credential: Wanted['credential']): string {
  // It refuses to send one without TLS.
  if ((credential.type !== 'basic' && credential.type !== 'token') || !url.startsWith('https:')) return url;
  const whole = new URL(url);
  whole.username = credential.type === 'basic' ? encodeURIComponent(credential.user) : 'token';
  whole.password = encodeURIComponent(credential.type === 'basic' ? credential.password : credential.secret);
  return whole.href;
}
