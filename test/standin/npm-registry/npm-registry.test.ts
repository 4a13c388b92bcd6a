import { createHash } from 'node:crypto';
import { readdirSync } from 'node:fs';
import { expect, it, onTestFinished } from 'vitest';
import { encodePublishDocument } from '../../../src/core/protocol/npm-registry/npm-document.ts';
import { startStandin } from '../../../src/standin/server.ts';
import { temporaryFolder } from '../../builders/repository.ts';
import { tokenFor } from '../../builders/workspace.ts';

const bytes = Buffer.from('any tarball will do here');
const digest = (name: string) => createHash(name).update(bytes).digest('hex');

async function server() {
  const store = temporaryFolder();
  const standin = await startStandin({ port: 0, store, tokens: [tokenFor('good-token')], now: () => new Date(0) });
  onTestFinished(standin.close);
  const call = (method: string, path: string, body?: unknown, token: string | null = 'good-token') =>
    fetch(`${standin.url}node/${path}`, {
      method,
      headers: { 'content-type': 'application/json', ...(token === null ? {} : { authorization: `Bearer ${token}` }) },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
  return { store, url: standin.url, call };
}

/** Every file, at any depth. */
function filesBelow(folder: string): string[] {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((dirent) => dirent.isFile())
    .map(({ name }) => name);
}

/** The document as the client writes it, with its base64 in the middle. */
function publishDocument(name = 'tidemark', version = '1.4.0') {
  const manifest = { name, version, description: 'Tides' };
  const { before, behind } = encodePublishDocument({
    manifest,
    name,
    version,
    readme: '# tides',
    tag: 'latest',
    access: null,
    registry: 'http://127.0.0.1/node/',
    sizeBytes: bytes.length,
    sha1: digest('sha1'),
    sha512: digest('sha512'),
  });
  return JSON.parse(before + bytes.toString('base64') + behind);
}

it('takes a version once, and gives back document, tarball and pointers', async () => {
  const { call } = await server();

  const put = await call('PUT', '@fenmarsh%2ftidemark', publishDocument('@fenmarsh/tidemark'));
  const again = await call('PUT', '@fenmarsh%2ftidemark', publishDocument('@fenmarsh/tidemark'));
  // biome-ignore lint/suspicious/noExplicitAny: read as a client would
  const document = (await (await call('GET', '@fenmarsh/tidemark', undefined, null)).json()) as any;
  const tarball = await fetch(document.versions['1.4.0'].dist.tarball);

  expect(put.status).toBe(201);
  expect(again.status).toBe(409);
  expect(document['dist-tags']).toEqual({ latest: '1.4.0' });
  expect(document.readme).toBe('# tides');
  expect(Buffer.from(await tarball.arrayBuffer()).equals(bytes)).toBe(true);
});

it('moves pointers only to versions that are there', async () => {
  const { call } = await server();
  await call('PUT', 'tidemark', publishDocument());

  expect((await call('PUT', '-/package/tidemark/dist-tags/early', '1.4.0')).status).toBe(200);
  expect((await call('PUT', '-/package/tidemark/dist-tags/early', '9.9.9')).status).toBe(404);
  expect(await (await call('GET', '-/package/tidemark/dist-tags')).json()).toEqual({ latest: '1.4.0', early: '1.4.0' });
  expect((await call('DELETE', '-/package/tidemark/dist-tags/early')).status).toBe(200);
});

it('lets exactly one of two writers at the same moment in', async () => {
  const { call } = await server();

  const answers = await Promise.all(Array.from({ length: 6 }, () => call('PUT', 'tidemark', publishDocument())));

  expect(answers.map(({ status }) => status).sort()).toEqual([201, 409, 409, 409, 409, 409]);
});

it.each<[string, number, (document: ReturnType<typeof publishDocument>) => void, string | null]>([
  ['no token', 401, () => {}, null],
  ['a wrong token', 403, () => {}, 'bad-token'],
  [
    'a wrong integrity',
    400,
    (d) => {
      d.versions['1.4.0'].dist.integrity = 'sha512-AAAA';
    },
    'good-token',
  ],
  [
    'a cut tarball',
    400,
    (d) => {
      d._attachments['tidemark-1.4.0.tgz'].data = 'AAAA';
    },
    'good-token',
  ],
  [
    'no tarball',
    400,
    (d) => {
      d._attachments = {};
    },
    'good-token',
  ],
  [
    'another name inside',
    400,
    (d) => {
      d.versions['1.4.0'].name = 'gauges';
    },
    'good-token',
  ],
  [
    'no version',
    400,
    (d) => {
      d.versions = { latest: d.versions['1.4.0'] };
    },
    'good-token',
  ],
  [
    'no dist-tag',
    400,
    (d) => {
      d['dist-tags'] = {};
    },
    'good-token',
  ],
  [
    'a dist-tag like a version',
    400,
    (d) => {
      d['dist-tags'] = { '1.4.0': '1.4.0' };
    },
    'good-token',
  ],
  [
    'a body that is not an object',
    400,
    (d) => {
      for (const key of Object.keys(d)) delete d[key];
    },
    'good-token',
  ],
])('refuses %s with %i and keeps nothing', async (_, status, spoil, token) => {
  const { call, store } = await server();
  const document = publishDocument();
  spoil(document);

  const answer = await call('PUT', 'tidemark', document, token);

  expect(answer.status).toBe(status);
  expect(await answer.json()).toEqual({ error: expect.any(String) });
  expect((await call('GET', 'tidemark')).status).toBe(404);
  expect(filesBelow(store)).toEqual([]);
});

it.each(['..%2f..%2fetc', '%2e%2e', 'Tide Mark', '.hidden', 'a%00b'])(
  'never lets the name %s out of its store',
  async (name) => {
    const { call, url, store } = await server();

    const answer = await call('PUT', name, publishDocument(decodeURIComponent(name)));

    expect([400, 404]).toContain(answer.status);
    expect((await fetch(`${url}node/${name}/-/x-1.0.0.tgz`)).status).toBeGreaterThanOrEqual(400);
    expect(filesBelow(store)).toEqual([]);
  },
);
