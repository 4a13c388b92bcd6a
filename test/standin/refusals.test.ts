import { createHash } from 'node:crypto';
import { readdirSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { publishHead } from '../../src/core/protocol/crate-registry/registry.ts';
import { encodeForm } from '../../src/core/protocol/multipart.ts';
import { uploadFields } from '../../src/core/protocol/python-index/python-index.ts';
import { nupkgBytes, testStandin } from '../builders/parcel.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { goodToken } from '../builders/workspace.ts';

// What a real server refuses, its stand-in has to refuse too.

const bearer = { authorization: `Bearer ${goodToken}` };
const digest = (name: string, bytes: string | Buffer) => createHash(name).update(bytes).digest('hex');

async function server() {
  const store = temporaryFolder();
  const standin = await testStandin({ store, maxBytes: 100_000 });
  const call = (method: string, path: string, body?: string | Buffer, headers: Record<string, string> = {}) =>
    fetch(`${standin.url}${path}`, {
      method,
      headers: { ...bearer, ...headers },
      ...(body === undefined ? {} : { body: body as unknown as string, duplex: 'half' }),
    } as RequestInit);
  const files = () =>
    readdirSync(store, { recursive: true, withFileTypes: true })
      .filter((dirent) => dirent.isFile())
      .map(({ name }) => name);
  return { standin, call, files };
}

describe('an index for Python', () => {
  const bytes = 'any wheel will do here';
  const upload = (
    change: (fields: [string, string][]) => void = () => {},
    fileName = 'tidemark_py-1.3.1-py3-none-any.whl',
  ) => {
    const metadata = { 'Metadata-Version': '2.4', Name: 'tidemark-py', Version: '1.3.1' };
    const fields = uploadFields({
      fields: metadata,
      description: null,
      fileName,
      sha256: digest('sha256', bytes),
    }) as [string, string][];
    change(fields);
    const form = encodeForm(
      fields,
      { field: 'content', fileName, contentType: 'application/octet-stream' },
      'b0undary',
    );
    return {
      body: Buffer.concat([form.before, Buffer.from(bytes), form.behind]),
      headers: { 'content-type': form.contentType },
    };
  };
  const set = (name: string, value: string) => (fields: [string, string][]) => {
    for (const pair of fields) if (pair[0] === name) pair[1] = value;
  };

  it.each<[string, RegExp, ReturnType<typeof upload>]>([
    ['another digest', /digest/, upload(set('sha256_digest', 'f'.repeat(64)))],
    ['a local version', /not a version that an index accepts/, upload(set('version', '1.3.1+local'))],
    ['an invalid version', /not a version that an index accepts/, upload(set('version', '1.3.1-early'))],
    ['an invalid name', /not a project name/, upload(set('name', '-tide mark-'))],
    ['another action', /unknown action/, upload(set(':action', 'submit'))],
    ['no metadata version', /metadata_version/, upload(set('metadata_version', ''))],
    ['a file of another project', /not a file name for/, upload(() => {}, 'gauges-1.3.1-py3-none-any.whl')],
    ['a file of another version', /not a file name for/, upload(() => {}, 'tidemark_py-1.3.2-py3-none-any.whl')],
  ])('refuses %s and keeps nothing', async (_, message, { body, headers }) => {
    const { call, files } = await server();

    const answer = await call('POST', 'python/', body, headers);

    expect(answer.status).toBe(400);
    expect(await answer.text()).toMatch(message);
    expect(files()).toEqual([]);
  });

  it('takes a file name once, sends other spellings of the name on, and shows what was yanked', async () => {
    const { call, standin } = await server();
    const { body, headers } = upload();

    const first = await call('POST', 'python/', body, headers);
    const again = await call('POST', 'python/', body, headers);
    const yanked = await call('PUT', 'python/yanked/tidemark-py/1.3.1', 'wrong tides');
    const html = await (await fetch(`${standin.url}python/simple/Tidemark_Py/`)).text();
    const json = (await (
      await fetch(`${standin.url}python/simple/tidemark-py/`, {
        headers: { accept: 'application/vnd.pypi.simple.v1+json' },
      })
    ).json()) as {
      versions: string[];
      files: { yanked: string; size: number; hashes: { sha256: string } }[];
    };

    expect([first.status, again.status, yanked.status]).toEqual([200, 400, 200]);
    expect(await again.text()).toMatch(/already exists/i);
    expect(html).toContain('data-yanked="wrong tides"');
    expect(json.versions).toEqual(['1.3.1']);
    expect(json.files[0]).toMatchObject({
      yanked: 'wrong tides',
      size: bytes.length,
      hashes: { sha256: digest('sha256', bytes) },
    });
  });
});

describe('a .NET server', () => {
  const push = (bytes: Buffer) => {
    const form = encodeForm(
      [],
      { field: 'package', fileName: 'a.nupkg', contentType: 'application/octet-stream' },
      'b0undary',
    );
    return { body: Buffer.concat([form.before, bytes, form.behind]), headers: { 'content-type': form.contentType } };
  };

  it('takes a version once, whatever its spelling, and unlists without deleting', async () => {
    const { call, standin } = await server();
    const { body, headers } = push(await nupkgBytes('1.4'));
    const same = push(await nupkgBytes('1.4.0'));

    const first = await call('PUT', 'nuget/package', body, headers);
    const again = await call('PUT', 'nuget/package', same.body, same.headers);
    const gone = await call('DELETE', 'nuget/package/Fenmarsh.Tides/1.4.0');
    const versions = await (await fetch(`${standin.url}nuget/flat/fenmarsh.tides/index.json`)).json();
    const registration = await (await fetch(`${standin.url}nuget/registration/fenmarsh.tides/index.json`)).text();

    expect([first.status, again.status, gone.status]).toEqual([201, 409, 204]);
    expect(versions).toEqual({ versions: ['1.4.0'] });
    expect(registration).toContain('"listed":false');
  });

  it.each([
    ['text instead of a package', Buffer.from('text')],
    ['an empty file', Buffer.alloc(0)],
  ])('refuses %s and keeps nothing', async (_, bytes) => {
    const { call, files } = await server();
    const { body, headers } = push(bytes);

    expect((await call('PUT', 'nuget/package', body, headers)).status).toBe(400);
    expect(files()).toEqual([]);
  });

  it('refuses symbols of a package that it does not have', async () => {
    const { call } = await server();
    const { body, headers } = push(await nupkgBytes('1.4.0'));

    expect((await call('PUT', 'nuget/symbolpackage', body, headers)).status).toBe(404);
  });
});

describe('a Maven repository', () => {
  const base = 'maven/releases/example/fenmarsh/tidemark';

  it.each([
    ['a snapshot among releases', `${base}/1.5.0-SNAPSHOT/tidemark-1.5.0-20261123.080000-1.jar`, 'x', 400],
    ['a release among snapshots', 'maven/snapshots/example/fenmarsh/tidemark/1.4.0/tidemark-1.4.0.jar', 'x', 400],
    ['a file of another artifact', `${base}/1.4.0/gauges-1.4.0.jar`, 'x', 400],
    ['a file of another version', `${base}/1.4.0/tidemark-1.4.jar`, 'x', 400],
    ['a digest without its file', `${base}/1.4.0/tidemark-1.4.0.jar.sha1`, 'a'.repeat(40), 409],
    ['metadata that is none', `${base}/maven-metadata.xml`, 'text', 400],
    ['a path that climbs', 'maven/releases/..%2f..%2fetc/x/1/x-1.jar', 'x', 404],
    ['another repository', 'maven/other/a/b/1/b-1.jar', 'x', 404],
    ['too much', `${base}/1.4.0/tidemark-1.4.0.jar`, 'x'.repeat(100_001), 413],
  ])('refuses %s and keeps nothing', async (_, path, body, status) => {
    const { call, files } = await server();

    expect((await call('PUT', path, body)).status).toBe(status);
    expect(files()).toEqual([]);
  });

  it('never replaces a file, and takes only the digest that the file has', async () => {
    const { call } = await server();
    const jar = `${base}/1.4.0/tidemark-1.4.0.jar`;

    expect((await call('PUT', jar, 'tides')).status).toBe(201);
    expect((await call('PUT', jar, 'other')).status).toBe(409);
    expect((await call('PUT', `${jar}.sha1`, 'a'.repeat(40))).status).toBe(400);
    expect((await call('PUT', `${jar}.sha1`, digest('sha1', 'tides'))).status).toBe(201);
  });
});

describe('a WebDAV store', () => {
  it('wants collections before files, lists them, and keeps conditions', async () => {
    const { call } = await server();

    const early = await call('PUT', 'files/tides/a.txt', 'x');
    const made = await call('MKCOL', 'files/tides/');
    const twice = await call('MKCOL', 'files/tides/');
    const put = await call('PUT', 'files/tides/a.txt', 'x', { 'if-none-match': '*' });
    const over = await call('PUT', 'files/tides/a.txt', 'y', { 'if-none-match': '*' });
    const listed = await call('PROPFIND', 'files/tides/', undefined, { depth: '1' });
    const tag = (await call('GET', 'files/tides/a.txt')).headers.get('etag') ?? '';
    const stale = await call('PUT', 'files/tides/a.txt', 'y', { 'if-match': '"other"' });
    const fresh = await call('PUT', 'files/tides/a.txt', 'y', { 'if-match': tag });
    const part = await call('GET', 'files/tides/a.txt', undefined, { range: 'bytes=0-0' });

    expect([early, made, twice, put, over, stale, fresh].map(({ status }) => status)).toEqual([
      409, 201, 405, 201, 412, 412, 204,
    ]);
    expect(listed.status).toBe(207);
    expect(await listed.text()).toContain('<D:href>/files/tides/a.txt</D:href>');
    expect([part.status, await part.text()]).toEqual([206, 'y']);
  });
});

describe('an object store', () => {
  it.each([
    ['an unsigned write', {}, 403, 'AccessDenied'],
    [
      'another signature',
      {
        authorization: `AWS4-HMAC-SHA256 Credential=x/20261123/r/s3/aws4_request, SignedHeaders=host, Signature=${'0'.repeat(64)}`,
        'x-amz-date': new Date().toISOString().replace(/[-:]|\.\d+/g, ''),
      },
      403,
      'SignatureDoesNotMatch',
    ],
    [
      'a clock that is off',
      {
        authorization: `AWS4-HMAC-SHA256 Credential=x/20200101/r/s3/aws4_request, SignedHeaders=host, Signature=${'0'.repeat(64)}`,
        'x-amz-date': '20200101T000000Z',
      },
      403,
      'RequestTimeTooSkewed',
    ],
  ])('refuses %s', async (_, headers, status, code) => {
    const { call } = await server();

    const answer = await call('PUT', 's3/tide-releases/a.txt', 'x', headers as Record<string, string>);

    expect(answer.status).toBe(status);
    expect(await answer.text()).toContain(`<Code>${code}</Code>`);
  });
});

describe('a registry of artifacts', () => {
  const manifest = (layer: string) =>
    JSON.stringify({
      schemaVersion: 2,
      mediaType: 'application/vnd.oci.image.manifest.v1+json',
      config: { digest: layer },
      layers: [{ digest: layer }],
    });
  const type = { 'content-type': 'application/vnd.oci.image.manifest.v1+json' };
  const begin = async (call: Awaited<ReturnType<typeof server>>['call'], query = '') => {
    const answer = await call('POST', `v2/office/tides/blobs/uploads/${query}`, '');
    return { status: answer.status, path: (answer.headers.get('location') ?? '').slice(1) };
  };

  it('takes blobs by their digest, in chunks in order, and mounts them elsewhere', async () => {
    const { call } = await server();
    const whole = `sha256:${digest('sha256', 'tides')}`;
    const { path } = await begin(call);

    const first = await call('PATCH', path, 'ti', { 'content-range': '0-1' });
    const late = await call('PATCH', path, 's', { 'content-range': '4-4' });
    const rest = await call('PATCH', path, 'des', { 'content-range': '2-4' });
    const state = await call('GET', path);
    const wrong = await call('PUT', `${path}?digest=sha256:${'0'.repeat(64)}`, '');
    const right = await call('PUT', `${path}?digest=${whole}`, '');
    const mounted = await call('POST', `v2/office/other/blobs/uploads/?mount=${whole}&from=office/tides`, '');

    expect([first, late, rest, state, wrong, right, mounted].map(({ status }) => status)).toEqual([
      202, 416, 202, 204, 400, 201, 201,
    ]);
    expect(state.headers.get('range')).toBe('0-4');
    expect(await (await call('GET', `v2/office/other/blobs/${whole}`)).text()).toBe('tides');
  });

  it.each([
    [
      'a manifest whose blobs are missing',
      'v2/office/tides/manifests/1.0',
      manifest(`sha256:${'1'.repeat(64)}`),
      type,
      404,
    ],
    ['a manifest under another digest', `v2/office/tides/manifests/sha256:${'2'.repeat(64)}`, manifest('x'), type, 400],
    [
      'a manifest of another type',
      'v2/office/tides/manifests/1.0',
      manifest('x'),
      { 'content-type': 'text/plain' },
      400,
    ],
    ['what is no JSON', 'v2/office/tides/manifests/1.0', '{', type, 400],
    ['a tag that is none', 'v2/office/tides/manifests/1.0+x', manifest('x'), type, 400],
    ['an invalid name', 'v2/Office/Tides/manifests/1.0', manifest('x'), type, 400],
  ])('refuses %s, in the words of the specification', async (_, path, body, headers, status) => {
    const { call } = await server();

    const answer = await call('PUT', path, body, headers);

    expect(answer.status).toBe(status);
    expect((await answer.json()) as object).toMatchObject({ errors: [{ code: expect.stringMatching(/^[A-Z_]+$/) }] });
  });

  it('gives a token for a scope to holders of a credential, and none to others', async () => {
    const { standin } = await server();
    const ask = (token: string) =>
      fetch(`${standin.url}oci-token?service=stand-in&scope=repository:office/tides:pull,push`, {
        headers: { authorization: `Basic ${Buffer.from(`harbour:${token}`).toString('base64')}` },
      });

    const { token } = (await (await ask(goodToken)).json()) as { token: string };
    const begun = await fetch(`${standin.url}v2/office/tides/blobs/uploads/`, {
      method: 'POST',
      headers: { authorization: `Bearer ${token}` },
    });

    expect(begun.status).toBe(202);
    expect((await ask('wrong-token-00')).status).toBe(401);
  });
});

it('the page of a package shows readme, files and digests, and nothing from outside is markup', async () => {
  const { standin, call } = await server();
  const bytes = Buffer.from('tarball');
  const integrity = `sha512-${createHash('sha512').update(bytes).digest('base64')}`;
  const version = { name: 'tidemark', version: '1.4.0', dist: { integrity, shasum: digest('sha1', bytes) } };
  const document = {
    name: 'tidemark',
    description: 'Tides <script>alert(1)</script>',
    readme: '# About\n\n<img src=x onerror=alert(1)> [go](javascript:alert(1)) **bold**',
    'dist-tags': { latest: '1.4.0' },
    versions: { '1.4.0': version },
    _attachments: { 'tidemark-1.4.0.tgz': { length: bytes.length, data: bytes.toString('base64') } },
  };
  await call('PUT', 'node/tidemark', JSON.stringify(document), { 'content-type': 'application/json' });

  const list = await (await fetch(`${standin.url}pages/`)).text();
  const answer = await fetch(`${standin.url}pages/npm-registry/tidemark`);
  const page = await answer.text();

  expect(list).toContain('href="/pages/npm-registry/tidemark"');
  expect(page).toContain('<strong>bold</strong>');
  expect(page).toContain(integrity);
  expect(page).toContain('latest is 1.4.0');
  expect(page).not.toMatch(/<script>|<img|href="javascript/);
  expect(answer.headers.get('content-security-policy')).toContain("default-src 'none'");
  expect((await fetch(`${standin.url}pages/npm-registry/..%2f..%2fetc`)).status).toBe(404);
});

describe('a registry of crates', () => {
  const metadata = { name: 'tidemark', vers: '1.4.0', deps: [], features: {}, license: 'MIT', description: 'Tides' };
  const body = (more: object = {}, file: Buffer = Buffer.from('crate')) =>
    Buffer.concat([publishHead({ ...metadata, ...more }, file.length), file]);
  const publish = (call: Awaited<ReturnType<typeof server>>['call'], bytes: Buffer, headers = {}) =>
    call('PUT', 'crates/api/v1/crates/new', bytes, { authorization: goodToken, ...headers });

  it.each<[string, number, RegExp, Buffer, Record<string, string>?]>([
    ['no token', 403, /may not publish/, body(), { authorization: 'wrong-token-00' }],
    ['a name that is none', 400, /no name of a crate/, body({ name: '../x' })],
    ['a version that is none', 400, /no version/, body({ vers: '1.4' })],
    ['no licence', 400, /license/, body({ license: null })],
    ['no description', 400, /description/, body({ description: '' })],
    ['any version of a dependency', 400, /wildcard/, body({ deps: [{ name: 'x', version_req: '*' }] })],
    ['fewer bytes than it says', 400, /shorter/, body().subarray(0, -2)],
    ['more bytes than it says', 400, /longer/, Buffer.concat([body(), Buffer.from('x')])],
    ['metadata that is too large', 413, /too large/, Buffer.from([0xff, 0xff, 0xff, 0x7f])],
    ['a crate that is too large', 413, /not taken/, body({}, Buffer.alloc(120_000))],
  ])('refuses %s', async (_, status, why, bytes, headers) => {
    const { call, files } = await server();
    const answer = await publish(call, bytes, headers);

    expect(answer.status).toBe(status);
    expect(((await answer.json()) as { errors: { detail: string }[] }).errors[0]?.detail).toMatch(why);
    expect(files().filter((name) => !name.endsWith('.json'))).toEqual([]);
  });

  it('takes a version once, yanks it, and names its owner', async () => {
    const { call } = await server();
    expect((await publish(call, body())).status).toBe(200);
    expect((await publish(call, body())).status).toBe(400);
    expect((await publish(call, body({ name: 'Tidemark', vers: '2.0.0' }))).status).toBe(400);
    expect(await (await call('GET', 'crates/api/v1/crates/tidemark/owners')).json()).toMatchObject({
      users: [{ login: 'harbour-desk' }],
    });
    const line = async () => JSON.parse(await (await call('GET', 'crates/index/ti/de/tidemark')).text());

    expect(await line()).toMatchObject({ cksum: digest('sha256', 'crate'), yanked: false });
    await call('DELETE', 'crates/api/v1/crates/tidemark/1.4.0/yank');
    expect(await line()).toMatchObject({ yanked: true });
    await call('PUT', 'crates/api/v1/crates/tidemark/1.4.0/unyank');
    expect(await line()).toMatchObject({ yanked: false });
    expect((await call('DELETE', 'crates/api/v1/crates/tidemark/9.0.0/yank')).status).toBe(404);
    expect((await call('GET', 'crates/index/ti/de/..%2f..%2fx')).status).toBe(404);
  });
});

describe('files of a layout', () => {
  it.each([
    ['simple-index', 'simple/tides/index.html', '<!doctype html><a href="tides-1.0.tar.gz">tides-1.0.tar.gz</a>'],
    ['npm-static', 'tides', '{"versions":{"1.0.0":{"dist":{"tarball":"https://x.example/_tarballs/tides/t.tgz"}}}}'],
    ['crate-index', 'ti/de/tides', '{"name":"tides","vers":"1.0.0"}\n'],
    ['go-proxy', 'fenmarsh.example/tides/@v/list', 'v1.0.0\n'],
    ['nuget-static', 'flat/tides/index.json', '{"versions":["1.0.0"]}'],
  ])('of %s refer to nothing that is not there', async (layout, index, text) => {
    const { call } = await server();
    const answer = await call('PUT', `static/${layout}/${index}`, text);

    expect(answer.status).toBe(409);
    expect(await answer.text()).toMatch(/refers to .*, which is not there/);
  });

  it('are replaced on a condition only, shown by folder, and lie in no other place', async () => {
    const { call } = await server();
    const put = (path: string, text: string, headers = {}) => call('PUT', `static/simple-index/${path}`, text, headers);
    expect((await put('simple/index.html', '<!doctype html>')).status).toBe(201);
    const shown = await call('GET', 'static/simple-index/simple/');
    const tag = shown.headers.get('etag') ?? '';

    expect(shown.headers.get('content-type')).toMatch(/^text\/html/);
    expect((await put('simple/index.html', 'x', { 'if-none-match': '*' })).status).toBe(412);
    expect((await put('simple/index.html', '<!doctype html><p>', { 'if-match': '"no"' })).status).toBe(412);
    expect((await put('simple/index.html', '<!doctype html><p>', { 'if-match': tag })).status).toBe(204);
    for (const path of ['simple/..%2f..%2fx', '..%2fx', 'a//b', 'simple/'])
      expect((await put(path, 'x')).status, path).toBeGreaterThanOrEqual(400);
  });
});
