import { describe, expect, it } from 'vitest';
import type { LedgerRelease } from '../../../src/core/ledger/fold.ts';
import type { Protocol } from '../../../src/core/name/protocol.ts';
import { consumerLines, setUpLines } from '../../../src/core/protocol/consumer-line.ts';
import type { Offer } from '../../../src/core/protocol/offer.ts';
import { quoteShell } from '../../../src/core/text/quote-shell.ts';
import { destinationConfig } from '../../builders/parcel.ts';

function offer(speaks: Protocol, name: string, address: string, more: Partial<LedgerRelease['about']> = {}): Offer {
  const record = {
    file: `tidemark-1.4.0.${speaks === 'maven-layout' ? 'jar' : 'tgz'}`,
    form: speaks === 'maven-layout' ? ('jar' as const) : ('tar.gz' as const),
    platform: null,
    size: 7,
    sha1: 'a'.repeat(40),
    sha256: 'b'.repeat(64),
    sha512: 'c'.repeat(128),
    contentDigest: '',
    entries: 1,
  };
  const about = {
    name,
    ecosystem: 'node',
    folder: '',
    spellings: { semver: '1.4.0', python: '1.4.0', maven: '1.4.0', nuget: '1.4.0' },
    stream: { name: 'stable', type: 'stable', pointer: 'stable' },
    sourceTime: 1_795_000_000,
    needs: [],
    ...more,
  };
  const release = { package: 'tidemark', version: '1.4.0', about, artifacts: [record] } as unknown as LedgerRelease;
  const delivered = [
    {
      destination: 'office',
      artifact: record.file,
      state: 'delivered',
      isContradicted: false,
      confirmed: 'bytes',
      address,
      sha256: record.sha256,
      record,
    },
  ] as const;
  const url = 'https://packages.fenmarsh.example/x/';
  return { destination: 'office', config: destinationConfig(speaks, url), url, release, delivered };
}

const texts = (offer: Offer) => consumerLines(offer).map(({ client, into, text }) => `${client} | ${into} | ${text}`);

describe('consumer lines', () => {
  it('for npm install by name, and by address after the digest was checked', () => {
    const [byName, byDigest] = texts(offer('npm-registry', 'tidemark', 'https://packages.fenmarsh.example/t.tgz'));

    expect(byName).toBe('npm | shell | npm install tidemark@1.4.0 --registry=https://packages.fenmarsh.example/x/');
    expect(byDigest).toContain('npm pack --silent tidemark@1.4.0 --registry=https://packages.fenmarsh.example/x/\n');
    expect(byDigest).toContain(`echo '${'b'.repeat(64)}  tidemark-1.4.0.tgz' | sha256sum -c -`);
  });

  it('for a scoped name point only that scope to the registry', () => {
    const item = offer('npm-registry', '@fenmarsh/tidemark', 'https://packages.fenmarsh.example/t.tgz');

    expect(texts(item)[0]).toContain('npm install @fenmarsh/tidemark@1.4.0 --@fenmarsh:registry=https://');
    expect(setUpLines(item)[0]?.text).toBe('@fenmarsh:registry=https://packages.fenmarsh.example/x/');
  });

  it('for pip pin version and digests, in the spelling of Python', () => {
    const item = offer('python-index', 'tidemark-py', 'https://x.example/t.whl', { spellings: { python: '2.0.0a1' } });

    expect(texts(item)).toEqual([
      `pip | requirements.txt | tidemark-py==2.0.0a1 \\\n    --hash=sha256:${'b'.repeat(64)}`,
    ]);
  });

  it('for Maven are a dependency block, and a repository that takes what fits', () => {
    const item = offer('maven-layout', 'example.fenmarsh:tidemark', 'https://x.example/t.jar', {
      spellings: { maven: '1.5.0-SNAPSHOT' },
    });

    expect(texts(item)[0]).toContain('<artifactId>tidemark</artifactId>\n  <version>1.5.0-SNAPSHOT</version>');
    expect(
      setUpLines(item)
        .map(({ text }) => text)
        .join(),
    ).toMatch(/<releases><enabled>false<[\s\S]*<snapshots><enabled>true</);
  });

  it('for registries of artifacts are references by the digest of the manifest', () => {
    const item = offer(
      'oci',
      'tidemark',
      `https://packages.fenmarsh.example/v2/tides/tidemark/blobs/sha256:${'b'.repeat(64)}#t.tgz`,
    );

    const [reference = '', curl = ''] = texts(item);
    expect(reference).toMatch(/^oci \| reference \| packages\.fenmarsh\.example\/tides\/tidemark@sha256:[0-9a-f]{64}$/);
    expect(reference).not.toContain('b'.repeat(64));
    expect(curl).toContain(`/blobs/sha256:${'b'.repeat(64)}\n`);
  });

  it.each<[Protocol, string, RegExp]>([
    ['http-put', 'https://x.example/t.tgz', /curl -fsSL -o tidemark-1\.4\.0\.tgz https:\/\/x\.example\/t\.tgz\n/],
    ['s3', "https://x.example/it's.tgz", /'https:\/\/x\.example\/it'\\''s\.tgz'/],
    [
      'folder',
      '/srv/shelf/tidemark/1.4.0/t.tgz',
      /cp "\$OFFICE_FOLDER"\/tidemark\/1\.4\.0\/tidemark-1\.4\.0\.tgz tide/,
    ],
    ['nuget-v3', 'https://x.example/t.nupkg', /dotnet add package tidemark --version 1\.4\.0 --source https:/],
  ])('for %s are words of a shell, quoted where they must be', (speaks, address, expected) => {
    expect(texts(offer(speaks, 'tidemark', address))[0]).toMatch(expected);
  });

  it('for a package of the system end with its installer', () => {
    const item = offer('http-put', 'tidemark', 'https://x.example/t.deb');
    const delivered = item.delivered.map((one) => ({
      ...one,
      record: { ...one.record, form: 'deb' as const, file: 't.deb' },
    }));

    expect(texts({ ...item, delivered })[1]).toBe('apt | root shell | apt-get install ./t.deb');
  });

  it('for a folder show a name from a configuration without what a shell would expand', () => {
    const [line] = setUpLines({ ...offer('folder', 'tidemark', '/srv/x'), destination: '$(touch x)`id`"}' });

    expect(line?.text).toContain('set it to the folder ??touch x??id??? as this machine sees it}"');
    expect(line?.text).not.toMatch(/\$\(|`/);
  });

  it('for .NET name a credential as a variable of the configuration', () => {
    const [, credentials] = setUpLines({
      ...offer('nuget-v3', 'tidemark', 'https://x.example/t'),
      destination: '2nd office',
    });

    expect(credentials).toMatchObject({ into: 'nuget.config' });
    expect(credentials?.text).toContain('<_x0032_nd_x0020_office>\n    <add key="Username"');
    expect(credentials?.text).toContain('value="%_2ND_OFFICE_READ_TOKEN%" />');
  });

  it.each<Protocol>(['npm-registry', 'python-index', 'maven-layout'])(
    'for %s name a credential by its variable alone',
    (speaks) => {
      const lines = setUpLines(offer(speaks, 'example.fenmarsh:tidemark', 'https://x.example/t'));

      expect(lines.map(({ text }) => text).join('\n')).toMatch(/\$\{(?:env\.)?OFFICE_READ_TOKEN\}/);
    },
  );
});

it.each([
  ['tidemark@1.4.0', 'tidemark@1.4.0'],
  ['a b', "'a b'"],
  ['$(rm -rf x)', "'$(rm -rf x)'"],
  ["it's", "'it'\\''s'"],
  ['', "''"],
])('%j is the word %s', (text, word) => {
  expect(quoteShell(text)).toBe(word);
});
