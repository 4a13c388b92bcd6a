import { describe, expect, it } from 'vitest';
import type { DestinationConfig } from '../../src/core/config/config.ts';
import type { Protocol } from '../../src/core/name/protocol.ts';
import { openDestination } from '../../src/flow/workspace/open-destination.ts';
import { testContext } from '../builders/context.ts';
import { type Answer, type Listener, listener } from '../builders/listener.ts';
import { destinationConfig, parcelFor, placeAt } from '../builders/parcel.ts';
import { temporaryFolder } from '../builders/repository.ts';

const secret = 'tide-office-token-7Qx2LmVb9';
const forms = [
  secret,
  Buffer.from(`__token__:${secret}`).toString('base64'),
  Buffer.from(`harbour:${secret}`).toString('base64'),
];

async function open(speaks: Protocol, server: Listener, more: Partial<DestinationConfig> = {}, path = '') {
  const context = testContext(temporaryFolder(), { env: { TOKEN: secret, PAIR: `harbour:${secret}` } });
  const config = destinationConfig(speaks, `${server.url}${path}`, { credential: 'env:TOKEN', ...more });
  return openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });
}

const heardSecret = ({ heard }: Listener) => forms.some((form) => heard().includes(form));
const json =
  (value: unknown): Answer =>
  (_, response) => {
    response.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(value));
  };

describe('a credential stays with the origins of the configuration', () => {
  it('when an index of Python packages links to files elsewhere', async () => {
    const elsewhere = await listener((_, response) => void response.writeHead(200).end('bytes'));
    const index = await listener((_, response) => {
      const file = { filename: 'tides-1.0.0.tar.gz', url: `${elsewhere.url}tides-1.0.0.tar.gz`, hashes: {} };
      response.writeHead(200, { 'content-type': 'application/vnd.pypi.simple.v1+json' });
      response.end(
        JSON.stringify({ meta: { 'api-version': '1.0' }, name: 'tides', files: [file], versions: ['1.0.0'] }),
      );
    });
    const destination = await open('python-index', index);

    for await (const _ of await destination.open(`${elsewhere.url}tides-1.0.0.tar.gz`));

    expect(elsewhere.asked).toHaveLength(1);
    expect(heardSecret(elsewhere)).toBe(false);
  });

  it.each<[string, Protocol, string]>([
    ['a tarball', 'npm-registry', ''],
    ['a file', 'maven-layout', ''],
    ['a file of a store', 'http-put', ''],
    ['a package', 'nuget-v3', 'index.json'],
  ])('when %s lies elsewhere (%s)', async (_, speaks, path) => {
    const [server, elsewhere] = [
      await listener(),
      await listener((_request, response) => void response.writeHead(200).end('bytes')),
    ];
    const destination = await open(speaks, server, {}, path);

    for await (const _chunk of await destination.open(`${elsewhere.url}soundings.tgz`));

    expect([elsewhere.asked.length, heardSecret(elsewhere)]).toEqual([1, false]);
  });

  it('when a server redirects a download', async () => {
    const elsewhere = await listener((_, response) => void response.writeHead(200).end('bytes'));
    const server = await listener(
      (_, response) => void response.writeHead(302, { location: `${elsewhere.url}x` }).end(),
    );
    const destination = await open('http-put', server);

    for await (const _ of await destination.open(`${server.url}x`));

    expect([elsewhere.asked.length, heardSecret(elsewhere), heardSecret(server)]).toEqual([1, false, true]);
  });

  it('when a service index refers uploads of .NET packages elsewhere, unless the configuration trusts that origin', async () => {
    const elsewhere = await listener((_, response) => void response.writeHead(201).end());
    const resources = ['PackagePublish/2.0.0', 'PackageBaseAddress/3.0.0', 'RegistrationsBaseUrl/3.6.0'];
    const server = await listener(
      json({ version: '3.0.0', resources: resources.map((type) => ({ '@id': `${elsewhere.url}p/`, '@type': type })) }),
    );
    const parcel = await parcelFor('nuget-v3');
    const deliver = async (more: Partial<DestinationConfig>) =>
      (await open('nuget-v3', server, more, 'index.json')).deliver(parcel, { all: [parcel], moved: () => {} });

    await expect(deliver({})).rejects.toMatchObject({
      code: 'ORIGIN_UNTRUSTED',
      fix: expect.stringContaining(`also-trusts: [${elsewhere.origin}]`),
    });
    expect(heardSecret(elsewhere)).toBe(false);
    await deliver({ 'also-trusts': [elsewhere.origin] });
    expect(heardSecret(elsewhere)).toBe(true);
  });

  it('when a registry of artifacts gives another host as the place for an upload', async () => {
    const elsewhere = await listener((_, response) => void response.writeHead(201).end());
    const server = await listener((request, response) => {
      if (request.url === '/v2/') response.writeHead(200).end('{}');
      if (request.method === 'POST')
        response.writeHead(202, { location: `${elsewhere.url}v2/x/blobs/uploads/1` }).end();
    });
    const parcel = await parcelFor('oci');
    const destination = await open('oci', server, { credential: 'env:PAIR' }, 'tides');

    await expect(destination.deliver(parcel, { all: [parcel], moved: () => {} })).rejects.toMatchObject({
      code: 'ORIGIN_UNTRUSTED',
    });
    expect(elsewhere.asked).toEqual([]);
  });

  it('when a registry of artifacts names another host as the one that gives tokens', async () => {
    const elsewhere = await listener(json({ token: 'a-token-of-the-other-host' }));
    const server = await listener((_, response) => {
      const challenge = `Bearer realm="${elsewhere.url}token",service="x",scope="repository:x:pull,push"`;
      response.writeHead(401, { 'www-authenticate': challenge }).end();
    });
    const subject = { packageName: 'soundings', name: 'soundings', version: '1.0.0', spellings: {} };
    const ask = async (more: Partial<DestinationConfig>) =>
      (await open('oci', server, { credential: 'env:PAIR', ...more }, 'tides'))
        .nameState(subject)
        .catch((error: unknown) => error);

    expect(await ask({})).toMatchObject({ code: 'ORIGIN_UNTRUSTED' });
    expect(heardSecret(elsewhere)).toBe(false);
    await ask({ 'also-trusts': [elsewhere.origin] });
    expect(heardSecret(elsewhere)).toBe(true);
  });

  it('when a record claims that a file of an object store is elsewhere', async () => {
    const [server, elsewhere] = [await listener(), await listener()];
    const keys = { 'access-key': 'env:TOKEN', 'secret-key': 'env:TOKEN' };
    const destination = await open('s3', server, { credential: keys, bucket: 'tides', 'path-style': true });

    const opening = (async () => destination.open(`${elsewhere.url}tides/x`))();

    await expect(opening).rejects.toMatchObject({ code: 'ORIGIN_UNTRUSTED' });
    expect([server.asked, elsewhere.asked]).toEqual([[], []]);
  });
});

describe('a release that is withdrawn', () => {
  const delivered = (address: string) => [{ artifact: 'soundings-1.0.0.tgz', address, sha256: 'a'.repeat(64) }];
  const subject = {
    packageName: 'soundings',
    name: 'example.tides:soundings',
    version: '1.0.0',
    spellings: { maven: '1.0.0' },
  };
  const wish = { reason: 'wrong datum', erase: false };

  it('is deleted in its own place, whatever the record says', async () => {
    const server = await listener(
      (request, response) => void response.writeHead(request.method === 'DELETE' ? 204 : 404).end(),
    );
    const destination = await open('http-put', server);

    await destination.withdraw(subject, {
      ...wish,
      delivered: delivered(`${server.url}another/important-file`),
    });

    const deleted = server.asked.filter(({ line }) => line.startsWith('DELETE')).map(({ line }) => line);
    expect(deleted).toEqual([
      'DELETE /soundings/1.0.0/soundings-1.0.0.tgz',
      'DELETE /soundings/1.0.0/soundings-1.0.0.tgz.sha256',
    ]);
  });

  it.each([
    'another/1.0/file.jar',
    'example/tides/soundings/1.0.0/../../x.jar',
    'example/tides/soundings/1.0.0/a/b.jar',
  ])('is not deleted at %s of a repository', async (path) => {
    const server = await listener((_, response) => void response.writeHead(204).end());
    const destination = await open('maven-layout', server);

    await expect(
      destination.withdraw(subject, { ...wish, delivered: delivered(server.url + path) }),
    ).rejects.toMatchObject({
      code: 'WITHDRAW_IMPOSSIBLE',
    });
    expect(server.asked.filter(({ line }) => line.startsWith('DELETE'))).toEqual([]);
  });
});
