// What a probe says of mistakes: a wrong path, a wrong password, somebody who may only read, servers of another kind. What is
// wrong is refused, what cannot be told is "not tested"; nothing of it is ever accepted.
import { mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { createServer, type RequestListener } from 'node:http';
import path from 'node:path';
import { PutBucketAclCommand, S3Client } from '@aws-sdk/client-s3';
import { describe, expect, it, onTestFinished } from 'vitest';
import { isBevelstoneError } from '../../src/core/error/bevelstone-error.ts';
import { type Protocol, remoteProtocols } from '../../src/core/name/protocol.ts';
import type { Destination } from '../../src/destination/destination.ts';
import { standinAddress } from '../../src/flow/trial/standin.ts';
import { openDestination } from '../../src/flow/workspace/open-destination.ts';
import type { Standin } from '../../src/standin/server.ts';
import { testContext } from '../builders/context.ts';
import { destinationConfig, parcelFor, placeAt, quietly, testStandin } from '../builders/parcel.ts';
import {
  account,
  guest,
  itWithServer,
  startDockerRegistry,
  startNginx,
  startObjectStore,
  startSwift,
  startVerdaccio,
} from '../builders/real-server.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { goodToken, tokenFor } from '../builders/workspace.ts';

type More = Readonly<Record<string, unknown>>;

function openAt(speaks: Protocol, url: string, more: More = {}, token = goodToken): Promise<Destination> {
  const context = testContext(temporaryFolder(), {
    env: { TIDE_TOKEN: token, TIDE_KEY: 'harbour', OFFICE_PASSWORD: account.password },
  });
  const config = destinationConfig(speaks, url, more);
  return openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });
}

/** What a probe says, in one line: `accepted`, `refused: …`, or `not tested: …`. */
async function verdict(destination: Destination, mayWrite = false): Promise<string> {
  const parcel = await parcelFor(destination.speaks);
  try {
    const { credential, why, untested } = await destination.access(parcel, { mayWrite, lists: false });
    if (credential === 'refused') return `refused: ${why}`;
    return untested.length === 0 && credential !== 'unknown' ? 'accepted' : `not tested: ${untested.join(', ')}`;
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    return `refused: ${error.why}`;
  }
}

/** The address with a mistake in its path. */
function misspelt(url: string, speaks: Protocol): string {
  if (speaks === 'nuget-v3') return url.replace('index.json', 'indx.json');
  return speaks === 's3' || speaks === 'oci'
    ? `${new URL(url).origin}/dva/`
    : url.replace(/\/([\w-]+)(\/?)$/, '/x$1$2');
}

/** A server of something else, for as long as the test. */
async function serverOf(listener: RequestListener): Promise<string> {
  const server = createServer(listener);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  onTestFinished(() => {
    server.closeAllConnections();
    server.close();
  });
  const address = server.address();
  return `http://127.0.0.1:${typeof address === 'object' && address !== null ? address.port : 0}/`;
}

const page = (status: number, text: string, headers: Record<string, string> = {}): RequestListener => {
  return (request, response) => {
    request.resume();
    response.writeHead(status, { 'content-type': 'text/html', ...headers });
    response.end(`<!doctype html><title>office</title>${text}`);
  };
};

const mistakes: readonly [string, RequestListener, RegExp][] = [
  ['a web server', page(404, 'Not here'), /refused: .*404|not tested: write permission, the address/],
  ['a web page', page(200, 'Welcome'), /refused: .*a web page/],
  ['a login page', page(200, '<form><input type="password"></form>'), /refused: .*(?:a login page|perhaps a web page)/],
  ['a maintenance page', page(503, 'Down for maintenance'), /refused: .*(?:maintenance|503)/],
  ['a redirect to another place', page(302, '', { location: '/login' }), /refused: /],
  ['a port that wants TLS', page(400, 'The plain HTTP request was sent to HTTPS port'), /refused: /],
  ['a server that allows no uploads', page(405, 'no', { allow: 'GET, HEAD' }), /^refused: /],
];

describe.each(remoteProtocols)('a probe for %s', (speaks) => {
  const at = (standin: Standin, more: More = {}, token = goodToken) =>
    openAt(speaks, standinAddress(standin, speaks), more, token);

  it('says what it could test, and tests writing only when it may', async () => {
    const standin = await testStandin();
    const ready = await at(standin);
    const parcel = await parcelFor(speaks);
    await ready.deliver(parcel, quietly(parcel));
    const before = standin.faults.asked.length;

    expect(await verdict(ready)).toMatch(
      /^not tested: (?:write permission(?:, conditional writes)?|the right to publish this package)$/,
    );
    const asked = standin.faults.asked.slice(before);
    // The upload forms of indexes for Python and .NET are the one question that is asked by POST or PUT.
    const isForm = speaks === 'python-index' || speaks === 'nuget-v3';
    expect(asked.filter((line) => !/^(?:GET|HEAD|OPTIONS|PROPFIND) /.test(line))).toHaveLength(isForm ? 1 : 0);
    const isAsked = isForm || speaks === 'crate-registry';
    expect(await verdict(ready, true)).toBe(isAsked ? 'not tested: the right to publish this package' : 'accepted');
    expect((await ready.find(parcel, [parcel])).type).toBe('same');
  });

  it('leaves nothing behind', async () => {
    const store = temporaryFolder();
    const standin = await testStandin({ store });
    const destination = await at(standin);
    const parcel = await parcelFor(speaks);
    await destination.deliver(parcel, quietly(parcel));
    const files = () =>
      readdirSync(store, { recursive: true, withFileTypes: true })
        .filter((entry) => entry.isFile())
        .map((entry) => path.join(entry.parentPath, entry.name))
        .sort();
    const before = files();

    await verdict(destination, true);
    expect(files()).toEqual(before);
  });

  it('refuses a wrong path, or does not accept it', async () => {
    const standin = await testStandin({ isPrivate: true });
    const url = standinAddress(standin, speaks);

    // In a registry of the distribution specification every path is a repository that may come to be.
    const says = speaks === 'oci' ? /^not tested: write permission$/ : /^refused: |^not tested: .*the address/;
    expect(await verdict(await openAt(speaks, misspelt(url, speaks)))).toMatch(says);
  });

  it('refuses a wrong password', async () => {
    const standin = await testStandin({ isPrivate: true });

    expect(await verdict(await at(standin, {}, 'wrong-token-0000'))).toMatch(/^refused: .*40[13]/);
  });

  it('refuses somebody who may only read once writing is tested, and never accepts', async () => {
    const standin = await testStandin({ tokens: [{ ...tokenFor(goodToken), may: 'read' }, tokenFor('other-token-1')] });
    const maker = await at(standin, {}, 'other-token-1');
    const parcel = await parcelFor(speaks);
    await maker.deliver(parcel, quietly(parcel));
    const reader = await at(standin);

    expect(await verdict(reader)).not.toBe('accepted');
    expect(await verdict(reader, true)).toMatch(/^refused: /);
  });

  it.each(mistakes)('is not taken in by %s', async (_, listener, says) => {
    const url = await serverOf(listener);
    const address = speaks === 'nuget-v3' ? `${url}v3/index.json` : `${url}office/`;

    const said = await verdict(await openAt(speaks, address));
    expect(said).toMatch(says);
  });
});

describe('a probe of a folder', () => {
  it.each([
    ['a new folder', '', 'accepted'],
    ['a file', 'file.txt', 'is not a folder'],
  ])('looks at %s', async (_, name, says) => {
    const top = temporaryFolder();
    writeFileSync(path.join(top, 'file.txt'), '');
    const destination = await openAt('folder', path.join(top, name === '' ? 'shelf' : name));

    expect(await verdict(destination)).toContain(says);
  });

  it('writes and deletes a file when it may', async () => {
    const folder = path.join(temporaryFolder(), 'shelf');
    mkdirSync(folder);

    expect(await verdict(await openAt('folder', folder), true)).toBe('accepted');
    expect(readdirSync(folder)).toEqual([]);
  });
});

describe('a probe of a server that others wrote', () => {
  const credential = { user: account.user, password: 'env:OFFICE_PASSWORD' };
  const wrong = { user: account.user, password: 'env:TIDE_TOKEN' };

  itWithServer('verdaccio')('a registry for npm', async () => {
    const { url, token } = await startVerdaccio();
    const npm = (address: string, secret: string) => openAt('npm-registry', address, {}, secret);

    expect(await verdict(await npm(url, token))).toBe('not tested: write permission');
    expect(await verdict(await npm(url, token), true)).toBe('accepted');
    expect(await verdict(await npm(`${url}registry/`, token))).toMatch(/^refused: .*one does at/);
    expect(await verdict(await npm(url, 'wrong-token-0000'))).toMatch(/^refused: .*401/);
    expect(await verdict(await npm(`${url}registry/`, token), true)).toMatch(/^refused: /);
  });

  itWithServer('docker-registry')('a registry of the distribution specification', async () => {
    const url = await startDockerRegistry();

    expect(await verdict(await openAt('oci', `${url}tides`, { credential }))).toBe('not tested: write permission');
    expect(await verdict(await openAt('oci', `${url}tides`, { credential }), true)).toBe('accepted');
    expect(await verdict(await openAt('oci', `${url}tides`, { credential: wrong }))).toMatch(/^refused: .*401/);
    expect(await verdict(await openAt('oci', `${url}tides`, { credential: 'none' }))).toMatch(/^refused: .*credential/);
  });

  itWithServer('nginx')('a WebDAV server', async () => {
    const url = await startNginx(false);
    const at = (address: string, more: More = { credential }) => openAt('http-put', address, more);

    expect(await verdict(await at(url))).toBe('not tested: write permission');
    expect(await verdict(await at(url), true)).toBe('accepted');
    expect(await verdict(await at(`${url}dva/`))).toMatch(/^refused: .*no such collection/);
    expect(await verdict(await at(url, { credential: wrong }), true)).toMatch(/^refused: .*401/);
    expect(await verdict(await openAt('maven-layout', `${url}dva/`, { credential }))).toMatch(/^refused: /);
    expect(await verdict(await openAt('maven-layout', url, { credential }))).toBe(
      'not tested: write permission, conditional writes',
    );
  });

  itWithServer('s3rver')('an object store', async () => {
    const url = await startObjectStore();
    const keys = { 'access-key': 'env:OBJECT_KEY', 'secret-key': 'env:OBJECT_KEY' };
    const context = testContext(temporaryFolder(), { env: { OBJECT_KEY: 'S3RVER' } });
    const open = (address: string, more: More = {}) =>
      openDestination(context, {
        name: 'office',
        config: destinationConfig('s3', address, { credential: keys, ...more }),
        repository: placeAt(context.folder),
      });

    expect(await verdict(await open(url, { 'make-bucket': false }))).toMatch(/^refused: .*only created on request/);
    expect(await verdict(await open(url))).toBe('not tested: write permission, conditional writes');
  });

  itWithServer('swift')('an object store that has no conditional writes, and somebody who may only read', async () => {
    const url = await startSwift();
    const context = testContext(temporaryFolder(), {
      env: {
        MAKER: `office:${account.user}`,
        GUEST: guest.user,
        SECRET: account.password,
        GUEST_SECRET: guest.password,
      },
    });
    const open = (accessKey: string, secretKey: string) =>
      openDestination(context, {
        name: 'office',
        config: destinationConfig('s3', url, {
          credential: { 'access-key': `env:${accessKey}`, 'secret-key': `env:${secretKey}` },
        }),
        repository: placeAt(context.folder),
      });
    const maker = await open('MAKER', 'SECRET');
    const parcel = await parcelFor('s3');
    await maker.deliver(parcel, quietly(parcel));

    expect(await verdict(maker)).toBe('not tested: write permission, conditional writes');
    expect(await verdict(maker, true)).toBe('accepted');
    expect(await verdict(await open('MAKER', 'GUEST_SECRET'))).toMatch(/^refused: .*403/);
    const reader = await open('GUEST', 'GUEST_SECRET');
    expect(await verdict(reader)).toMatch(/^refused: .*403/);
    const credentials = { accessKeyId: `office:${account.user}`, secretAccessKey: account.password };
    const client = new S3Client({ endpoint: url, region: 'us-east-1', forcePathStyle: true, credentials });
    await client.send(new PutBucketAclCommand({ Bucket: 'tide-releases', ACL: 'public-read' }));
    expect(await verdict(reader)).toBe('not tested: write permission, conditional writes');
    expect(await verdict(reader, true)).toMatch(/^refused: .*403/);
  });
});
