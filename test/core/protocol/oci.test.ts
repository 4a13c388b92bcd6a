import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import {
  artifactManifest,
  digestOf,
  emptyBlob,
  indexType,
  manifestType,
  needsOf,
  type OciFile,
  parseChallenge,
  referrersTag,
  releaseDocument,
  repositoryName,
  tagFor,
  withReferrers,
} from '../../../src/core/protocol/oci/oci.ts';

function file(more: Partial<OciFile> = {}): OciFile {
  return {
    fileName: 'harmonics-0.9.5.tar.gz',
    form: 'tar.gz',
    platform: 'linux-x64',
    sha256: 'c'.repeat(64),
    sizeBytes: 4711,
    packageName: 'harmonics',
    version: '0.9.5',
    sourceTime: 1_795_000_000,
    ...more,
  };
}

describe('an artifact manifest', () => {
  // Image specification 1.1, "Guidelines for artifact usage" and "Guidance for an Empty Descriptor".
  it('has the empty configuration, one layer with its title, and says what it is', () => {
    const { text, descriptor } = artifactManifest(file(), null);

    const manifest = JSON.parse(text);
    expect(manifest).toMatchObject({
      schemaVersion: 2,
      mediaType: 'application/vnd.oci.image.manifest.v1+json',
      config: {
        mediaType: 'application/vnd.oci.empty.v1+json',
        digest: 'sha256:44136fa355b3678a1146ad16f7e8649e94fb4fc21fe77e8310c060f61caaff8a',
        size: 2,
        data: 'e30=',
      },
      layers: [{ mediaType: 'application/gzip', digest: `sha256:${'c'.repeat(64)}`, size: 4711 }],
    });
    expect(manifest.artifactType).toBe('application/vnd.bevelstone.tar.gz');
    expect(descriptor.digest).toBe(`sha256:${createHash('sha256').update(text).digest('hex')}`);
    expect(descriptor.size).toBe(Buffer.byteLength(text));
    expect(digestOf(emptyBlob)).toBe(manifest.config.digest);
  });

  it('of an SBOM has the SBOM’s own type and refers to the release', () => {
    const release = releaseDocument([file()]);
    const sbom = artifactManifest(
      file({ form: 'spdx', fileName: 'harmonics-0.9.5.spdx.json' }),
      release?.descriptor ?? null,
    );

    const { artifactType, subject } = JSON.parse(sbom.text);
    expect(artifactType).toBe('application/spdx+json');
    expect(subject).toEqual({
      mediaType: manifestType,
      digest: release?.descriptor.digest,
      size: release?.descriptor.size,
    });
  });

  it('is the same to the byte at every run', () => {
    expect(artifactManifest(file(), null).text).toBe(artifactManifest(file(), null).text);
  });
});

describe('a release', () => {
  it.each([
    [[], null],
    [[file()], manifestType],
    [[file(), file({ platform: 'macos-arm64', fileName: 'other.tar.gz' })], indexType],
  ])('of %j is what its tag leads to', (files, type) => {
    expect(releaseDocument(files)?.descriptor.mediaType ?? null).toBe(type);
  });

  it('of several platforms names them in the words of the specification', () => {
    const release = releaseDocument([file(), file({ platform: 'macos-arm64' }), file({ platform: null })]);

    const platforms = JSON.parse(release?.text ?? '').manifests.map(
      (manifest: { platform?: unknown }) => manifest.platform,
    );
    expect(platforms).toEqual([
      { os: 'linux', architecture: 'amd64' },
      { os: 'darwin', architecture: 'arm64' },
      undefined,
    ]);
  });
});

describe('the list of referrers', () => {
  const sbom = { mediaType: manifestType, digest: `sha256:${'d'.repeat(64)}`, size: 3 };

  it.each([null, 'no json', '{"manifests": 7}'])('begins anew where there is none: %j', (before) => {
    expect(JSON.parse(withReferrers(before, [sbom])).manifests).toEqual([sbom]);
  });

  it('gains what is missing, and nothing twice', () => {
    const once = withReferrers(null, [sbom]);
    const other = { ...sbom, digest: `sha256:${'e'.repeat(64)}` };

    expect(withReferrers(once, [sbom])).toBe(once);
    expect(JSON.parse(withReferrers(once, [sbom, other])).manifests).toEqual([sbom, other]);
    expect(referrersTag(sbom.digest)).toBe(`sha256-${'d'.repeat(64)}`);
  });
});

it.each([
  ['1.4.0', '1.4.0'],
  ['1.5.0-0.preview.fix.4+3f2c9e1', '1.5.0-0.preview.fix.4_3f2c9e1'],
])('the version %s has the tag %s', (version, tag) => {
  expect(tagFor(version)).toBe(tag);
});

it.each([
  [['/tides', 'Fenmarsh.Tides'], 'tides/fenmarsh.tides'],
  [['', '@fenmarsh/tidemark'], 'fenmarsh/tidemark'],
  [['/a b/', '__x__'], 'a-b/x'],
])('%j is the repository %s', (parts, name) => {
  expect(repositoryName(...parts)).toBe(name);
});

it.each([
  [
    'Bearer realm="https://auth.fenmarsh.example/token",service="registry",scope="repository:a/b:pull,push"',
    {
      scheme: 'bearer',
      parameters: {
        realm: 'https://auth.fenmarsh.example/token',
        service: 'registry',
        scope: 'repository:a/b:pull,push',
      },
    },
  ],
  ['Basic realm=office', { scheme: 'basic', parameters: { realm: 'office' } }],
  [undefined, null],
  ['', null],
])('reads the challenge %j', (header, expected) => {
  expect(parseChallenge(header)).toEqual(expected);
});

it.each([
  [
    { schemaVersion: 2, config: { digest: 'sha256:a' }, layers: [{ digest: 'sha256:b' }] },
    { blobs: ['sha256:a', 'sha256:b'], manifests: [] },
  ],
  [
    { schemaVersion: 2, manifests: [{ digest: 'sha256:c' }] },
    { blobs: [], manifests: ['sha256:c'] },
  ],
  [{ schemaVersion: 1, layers: [] }, null],
  ['text', null],
])('%j needs %j', (value, expected) => {
  expect(needsOf(value)).toEqual(expected);
});
