// Packages that need others from elsewhere: where these come from, and what is said when they come from nowhere.
import { createHash } from 'node:crypto';
import { expect, it } from 'vitest';
import type { Client, Wanted } from '../../src/flow/trial/client/client.ts';
import { mavenClient } from '../../src/flow/trial/client/maven.ts';
import { pipClient } from '../../src/flow/trial/client/pip.ts';
import { missingNames } from '../../src/flow/trial/outside.ts';
import { listener } from '../builders/listener.ts';
import { destinationConfig, testStandin, zipBytes } from '../builders/parcel.ts';
import { bevelstoneJson } from '../builders/program.ts';
import { releaseWorkspace } from '../builders/release-workspace.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { itWith } from '../builders/tools.ts';

const manifest = (name: string, more: object) =>
  `${JSON.stringify({ name, version: '0.0.0', description: 'Heights', license: 'MIT', repository: 'https://git.fenmarsh.example/tides', type: 'module', exports: './depth.js', ...more }, null, 2)}\n`;

itWith('npm')('a release at a private registry is confirmed with what it needs from another one', async () => {
  const almanac = await releaseWorkspace({ packages: ['almanac'] });
  expect((await almanac.release()).error).toBeNull();
  const w = await releaseWorkspace({
    isPrivate: true,
    more: 'rehearse: { upstream: "env:ALMANAC" }\nconfirm: { upstream: "env:CONFIRM_FROM/node/" }\n',
  });
  const upstream = almanac.env['OFFICE'] ?? '';
  const env = { ALMANAC: upstream, CONFIRM_FROM: upstream.replace(/node\/$/, '') };
  w.commit('feat: from the almanac', {
    'soundings/package.json': manifest('soundings', { dependencies: { almanac: '^0.1.0' } }),
  });
  w.git('push', '--quiet');
  expect((await w.release([], env)).error).toBeNull();
  const confirm = (more: Record<string, string>) =>
    bevelstoneJson(['confirm', '--within', '5 s'], { cwd: w.folder, env: { ...w.env, ...more } });

  const found = await confirm(env);
  expect(found.error).toBeNull();
  expect(found.result.releases[0].steps).toMatchObject([{ client: 'npm', state: 'installed' }]);

  const elsewhere = await listener();
  const lost = await confirm({ CONFIRM_FROM: elsewhere.origin });
  expect(lost.error).toMatchObject({
    code: 'NOT_CONFIRMED',
    why: expect.stringContaining('it cannot be installed: it needs almanac, which is not there'),
    fix: expect.stringContaining('`confirm.upstream`'),
  });
  expect(elsewhere.heard()).not.toContain(w.env['OFFICE_TOKEN']);
  expect(elsewhere.asked.map(({ line }) => line)).not.toContain('GET /node/soundings');
});

/** A server of files, by path. */
async function serverOf(files: ReadonlyMap<string, Buffer>): Promise<string> {
  const { url } = await listener((request, response) => {
    const found = files.get((request.url ?? '').slice(1));
    if (found === undefined) return;
    response.writeHead(200, { 'content-type': request.url?.endsWith('/') ? 'text/html' : 'application/octet-stream' });
    response.end(found);
  });
  return url;
}

/** A static index with one project; its links are relative, as in an index made of files. */
async function pythonIndexOf(name: string, needs: string[]): Promise<string> {
  const file = `${name}-1.0.0-py3-none-any.whl`;
  const info = `${name}-1.0.0.dist-info`;
  const wheel = await zipBytes({
    [`${name}.py`]: 'height = 1\n',
    [`${info}/METADATA`]: `Metadata-Version: 2.1\nName: ${name}\nVersion: 1.0.0\n${needs.map((need) => `Requires-Dist: ${need}\n`).join('')}`,
    [`${info}/WHEEL`]: 'Wheel-Version: 1.0\nGenerator: tests\nRoot-Is-Purelib: true\nTag: py3-none-any\n',
    [`${info}/RECORD`]: `${name}.py,,\n${info}/METADATA,,\n${info}/WHEEL,,\n${info}/RECORD,,\n`,
  });
  const link = `<!doctype html><a href="../../files/${file}">${file}</a>`;
  const all = new Map([
    [`simple/${name}/`, Buffer.from(link)],
    [`files/${file}`, wheel],
  ]);
  return `${await serverOf(all)}simple/`;
}

async function mavenRepositoryOf(name: string, needs: string[]): Promise<string> {
  const dependencies = needs.map(
    (need) =>
      `<dependency><groupId>example.fenmarsh</groupId><artifactId>${need}</artifactId><version>1.0.0</version></dependency>`,
  );
  const pom = `<project><modelVersion>4.0.0</modelVersion><groupId>example.fenmarsh</groupId><artifactId>${name}</artifactId><version>1.0.0</version><dependencies>${dependencies.join('')}</dependencies></project>`;
  const jar = await zipBytes({ [`${name}.txt`]: 'high water' });
  const files = new Map<string, Buffer>([['example/fenmarsh/'.concat(name, '/maven-metadata.xml'), Buffer.from('')]]);
  for (const [ending, bytes] of [['pom', Buffer.from(pom)] as const, ['jar', jar] as const]) {
    const place = `example/fenmarsh/${name}/1.0.0/${name}-1.0.0.${ending}`;
    files.set(place, bytes).set(`${place}.sha1`, Buffer.from(createHash('sha1').update(bytes).digest('hex')));
  }
  return serverOf(files);
}

const cases = [
  { speaks: 'python-index', client: pipClient, place: pythonIndexOf, name: (name: string) => name },
  {
    speaks: 'maven-layout',
    client: mavenClient,
    place: mavenRepositoryOf,
    name: (name: string) => `example.fenmarsh:${name}`,
  },
] as const;

for (const { speaks, client, place, name } of cases)
  itWith(...(speaks === 'maven-layout' ? ['java', 'mvn'] : ['python3']))(
    `${client.name} takes what a release needs from a second place, and what is at none is named`,
    async () => {
      const url = await place('soundings', ['almanac']);
      const upstream = await place('almanac', []);
      const wanted = (second: string | null) => wantedAt({ speaks, url, upstream: second, name: name('soundings') });

      expect(await installed(client, wanted(null))).toMatchObject({ type: 'failed' });
      expect(await missingNames(wanted(null), [name('almanac')])).toEqual([name('almanac')]);
      expect(await installed(client, wanted(upstream))).toMatchObject({ type: 'installed' });
      expect(await missingNames(wanted(upstream), [name('almanac'), name('tidewords')])).toEqual([name('tidewords')]);
    },
  );

async function installed(client: Client, wanted: Wanted) {
  const [folder, home] = [temporaryFolder(), temporaryFolder()];
  const env = { PATH: process.env['PATH'] ?? '', HOME: home };
  const signal = new AbortController().signal;
  const tool = await client.find(null, env, signal);
  if (tool === null) throw new Error(`no ${client.name}`);
  return client.install(tool, { folder, home, env, signal }, [wanted]);
}

/** What a client looks at of a release, at a place. */
function wantedAt({
  speaks,
  url,
  upstream,
  name,
}: {
  readonly speaks: 'python-index' | 'maven-layout';
  readonly url: string;
  readonly upstream: string | null;
  readonly name: string;
}): Wanted {
  const release = { version: '1.0.0', about: { name, spellings: { python: '1.0.0', maven: '1.0.0' } } };
  const delivered = [
    { artifact: 'soundings-1.0.0.jar', record: { form: 'jar', file: 'soundings-1.0.0.jar', platform: null } },
  ];
  const offer = { destination: 'office', config: destinationConfig(speaks, url), url, release, delivered };
  return { offer: offer as unknown as Wanted['offer'], credential: { type: 'none' }, upstream, files: null, moved: [] };
}

it('the stand-in gives files of another index their whole address', async () => {
  const url = await pythonIndexOf('almanac', []);
  const standin = await testStandin({ upstream: { 'python-index': [{ url }] } });
  for (const accept of ['text/html', 'application/vnd.pypi.simple.v1+json']) {
    const answer = await fetch(`${standin.urlFor('python-index')}simple/almanac/`, { headers: { accept } });
    expect(await answer.text()).toContain(`${new URL(url).origin}/files/almanac-1.0.0-py3-none-any.whl`);
  }
});
