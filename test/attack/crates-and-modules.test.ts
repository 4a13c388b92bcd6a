// Hostile crates, modules and registries.
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { buffer } from 'node:stream/consumers';
import { gzipSync } from 'node:zlib';
import { pack } from 'tar-stream';
import { describe, expect, it } from 'vitest';
import { openDestination } from '../../src/flow/workspace/open-destination.ts';
import { writeTarGz } from '../../src/world/archive/write-tar.ts';
import { writeZip } from '../../src/world/archive/write-zip.ts';
import { testContext } from '../builders/context.ts';
import { listener } from '../builders/listener.ts';
import { asking, bytesAt, destinationConfig, parcelFor, placeAt, quietly } from '../builders/parcel.ts';
import { bevelstoneJson } from '../builders/program.ts';
import { temporaryFolder } from '../builders/repository.ts';

const crateToml = '[package]\nname = "tides"\nversion = "1.4.0"\nlicense = "MIT"\ndescription = "x"\n';
const inputs = (files: Readonly<Record<string, string | Buffer>>) =>
  Object.entries(files).map(([name, content]) => ({
    path: name,
    mode: 0o644,
    content: { type: 'bytes' as const, bytes: Buffer.from(content) },
    origin: { type: 'generated' as const },
  }));

async function verify(file: string) {
  const run = await bevelstoneJson(['verify', file], { cwd: path.dirname(file) });
  const findings = (run.result?.artifacts ?? []).flatMap(({ findings }: { findings: { rule: string }[] }) =>
    findings.map(({ rule }) => rule),
  );
  return { code: run.error?.code, findings, exitCode: run.exitCode };
}

async function crateOf(
  parts: readonly { readonly name: string; readonly text?: string; readonly linkname?: string }[],
) {
  const archive = pack();
  for (const { name, text = '', linkname } of parts) {
    if (linkname === undefined) archive.entry({ name, mtime: new Date(0) }, text);
    else archive.entry({ name, linkname, type: 'symlink', mtime: new Date(0) });
  }
  archive.finalize();
  const file = path.join(temporaryFolder(), 'tides-1.4.0.crate');
  writeFileSync(file, gzipSync(await buffer(archive)));
  return file;
}

describe('a crate', () => {
  const manifest = { name: 'tides-1.4.0/Cargo.toml', text: crateToml };
  const library = { name: 'tides-1.4.0/src/lib.rs', text: 'pub fn tide() {}' };

  it.each([
    ['that climbs out', { name: 'tides-1.4.0/../../etc/passwd', text: 'x' }, 'archive/unsafe-path'],
    ['with an absolute path', { name: '/etc/passwd', text: 'x' }, 'archive/unsafe-path'],
    ['with a link to the outside', { name: 'tides-1.4.0/link', linkname: '../../x' }, 'archive/leaving-link'],
    ['with a file beside its folder', { name: 'other/x', text: 'x' }, 'archive/not-as-named'],
  ])('%s is refused', async (_, part, rule) => {
    const { findings, exitCode } = await verify(await crateOf([manifest, library, part]));

    expect(findings).toContain(rule);
    expect(exitCode).toBe(3);
  });

  it('that unpacks to far more than itself is not read to its end', async () => {
    const file = path.join(temporaryFolder(), 'tides-1.4.0.crate');
    const zeros = Buffer.alloc(96 << 20);
    await writeTarGz(file, inputs({ 'tides-1.4.0/Cargo.toml': crateToml, 'tides-1.4.0/src/lib.rs': zeros }), {
      mtime: 0,
    });

    expect(await verify(file)).toMatchObject({ code: 'ARCHIVE_TOO_LARGE', exitCode: 3 });
  });

  it('whose bytes end early is damaged', async () => {
    const whole = await crateOf([manifest, library]);
    const bytes = readFileSync(whole);
    for (const part of [0.3, 0.6, 0.95]) {
      writeFileSync(whole, bytes.subarray(0, Math.floor(bytes.length * part)));
      expect((await verify(whole)).code).toBe('ARCHIVE_DAMAGED');
    }
    writeFileSync(whole, 'PK\u0003\u0004 no tar at all');
    expect((await verify(whole)).code).toBe('ARCHIVE_AMBIGUOUS');
  });

  it('whose manifest cannot be read, or nests without an end, is a finding', async () => {
    const broken = await verify(await crateOf([{ ...manifest, text: '[package\nname' }, library]));
    expect(broken.findings).toContain('archive/not-as-named');
    const deep = await verify(
      await crateOf([{ ...manifest, text: `x = ${'['.repeat(5000)}${']'.repeat(5000)}` }, library]),
    );
    expect(deep.code).not.toBe('INTERNAL');
  });
});

describe('a module for Go', () => {
  const prefix = 'fenmarsh.example/tides@v1.4.0/';
  const goMod = 'module fenmarsh.example/tides\n\ngo 1.19\n';
  const zipOf = async (files: Readonly<Record<string, string | Buffer>>) => {
    const file = path.join(temporaryFolder(), 'tides-v1.4.0.zip');
    await writeZip(file, inputs(files), { mtime: 1_700_000_000 });
    return file;
  };

  it.each([
    ['that climbs out', { [`${prefix}../../x`]: 'x' }, 'archive/unsafe-path'],
    ['with a file beside its folder', { 'fenmarsh.example/tides@v1.4.1/x.go': 'x' }, 'go/top-folder'],
    ['of another path', { [`${prefix}go.mod`]: 'module evil.example/tides\n' }, 'go/top-folder'],
    [
      'that replaces a module by a folder',
      { [`${prefix}go.mod`]: `${goMod}replace x.example/y => /etc\n` },
      'go/replaced',
    ],
  ])('%s is refused', async (_, more, rule) => {
    const { findings } = await verify(
      await zipOf({ [`${prefix}go.mod`]: goMod, [`${prefix}a.go`]: 'package a', ...more }),
    );
    expect(findings).toContain(rule);
  });

  it('that unpacks to far more than itself is not read to its end', async () => {
    const file = await zipOf({ [`${prefix}go.mod`]: goMod, [`${prefix}a.go`]: Buffer.alloc(96 << 20) });
    expect((await verify(file)).code).toBe('ARCHIVE_TOO_LARGE');
  });

  it('whose bytes end early is damaged', async () => {
    const whole = await zipOf({ [`${prefix}go.mod`]: goMod, [`${prefix}a.go`]: 'package a' });
    const bytes = readFileSync(whole);
    for (const part of [0.3, 0.6, 0.95]) {
      writeFileSync(whole, bytes.subarray(0, Math.floor(bytes.length * part)));
      expect((await verify(whole)).code).toBe('ARCHIVE_DAMAGED');
    }
  });
});

describe('a registry of crates', () => {
  const token = 'crate-token-7Qx2LmVb9';
  /** A registry whose answers are given by path. */
  async function registryOf(answers: Readonly<Record<string, (url: string) => string>>) {
    const { url, heard, asked } = await listener((request, response) => {
      const found = answers[(request.url ?? '').replace(/^\//, '')];
      if (found === undefined) return;
      response.writeHead(200, { 'content-type': 'application/json' });
      response.end(found(url));
    });
    const context = testContext(temporaryFolder(), { env: { TIDE_TOKEN: token } });
    const config = destinationConfig('crate-registry', `${url}index/`);
    const open = () => openDestination(context, { name: 'crates', config, repository: placeAt(context.folder) });
    return { open, heard, asked };
  }

  it('that names another server for uploads gets neither the token nor the crate there', async () => {
    const other = await listener();
    const { open } = await registryOf({
      'index/config.json': (url) => JSON.stringify({ dl: url, api: other.url.replace(/\/$/, '') }),
    });
    const destination = await open();
    const parcel = await parcelFor('crate-registry');

    await expect(destination.deliver(parcel, quietly(parcel))).rejects.toMatchObject({ code: 'ORIGIN_UNTRUSTED' });
    await destination.access({ ...parcel }, asking).catch(() => {});
    expect(other.heard()).not.toContain(token);
  });

  it('that names another server for downloads sends its clients there without the token', async () => {
    const other = await listener((_request, response) => void response.end('crate'));
    const parcel = await parcelFor('crate-registry');
    const line = JSON.stringify({
      name: 'tidemark',
      vers: '1.4.0',
      deps: [],
      cksum: parcel.sha256,
      features: {},
      yanked: false,
    });
    const { open } = await registryOf({
      'index/config.json': () => JSON.stringify({ dl: other.url.replace(/\/$/, ''), api: null }),
      'index/ti/de/tidemark': () => line,
    });
    const destination = await open();
    const found = await destination.find(parcel, [parcel]);

    expect(found.type).toBe('same');
    if (found.type === 'same') expect((await bytesAt(destination, found.address)).toString()).toBe('crate');
    expect(other.heard()).not.toContain(token);
  });

  it.each([
    ['a web page', '<!doctype html><title>Login</title><input type=password>'],
    ['lines of something else', '{"name":"x"}\n'],
    ['a list', '[]'],
  ])('that answers with %s in its index is not one', async (_, text) => {
    const { open } = await registryOf({
      'index/config.json': (url) => JSON.stringify({ dl: url, api: url }),
      'index/ti/de/tidemark': () => text,
    });
    const parcel = await parcelFor('crate-registry');
    await expect((await open()).find(parcel, [parcel])).rejects.toMatchObject({ code: 'DESTINATION_ANSWER' });
  });

  it('that refuses with status 200 has refused', async () => {
    const { open } = await registryOf({
      'index/config.json': (url) => JSON.stringify({ dl: url, api: url.replace(/\/$/, '') }),
      'api/v1/crates/new': () => JSON.stringify({ errors: [{ detail: `no room for ${token}` }] }),
    });
    const destination = await open();
    const parcel = await parcelFor('crate-registry');
    const error = await destination.deliver(parcel, quietly(parcel)).catch((thrown: unknown) => thrown);

    expect(error).toMatchObject({ code: 'DESTINATION_REFUSED', why: expect.stringContaining('no room for') });
    expect(JSON.stringify(error)).not.toContain(token);
  });
});
