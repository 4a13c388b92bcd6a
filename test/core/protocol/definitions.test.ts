import { describe, expect, it } from 'vitest';
import { isRemote, type Protocol, remoteProtocols, stores } from '../../../src/core/name/protocol.ts';
import { configuredOrigins } from '../../../src/core/protocol/configured-origins.ts';
import { protocolDefinitions } from '../../../src/core/protocol/definitions.ts';
import { destinationConfig } from '../../builders/parcel.ts';

const url = 'https://packages.fenmarsh.example/x';

it.each<[Protocol, string]>([
  ['npm-registry', `${url}/`],
  ['python-index', `${url}/simple/`],
  ['maven-layout', `${url}/`],
  ['nuget-v3', url],
  ['http-put', url],
  ['oci', url],
])('readers of %s look at %s', (protocol, expected) => {
  expect(protocolDefinitions[protocol].readerUrl(url)).toBe(expected);
});

it.each<[Protocol, boolean, string]>([
  ['npm-registry', false, 'http://127.0.0.1:1/p/'],
  ['nuget-v3', false, 'http://127.0.0.1:1/p/index.json'],
  ['maven-layout', false, 'http://127.0.0.1:1/p/releases/'],
  ['maven-layout', true, 'http://127.0.0.1:1/p/snapshots/'],
])('a stand-in of %s, snapshots %s, is addressed by %s', (protocol, snapshots, expected) => {
  expect(protocolDefinitions[protocol].standinUrl('http://127.0.0.1:1/p/', { snapshots })).toBe(expected);
});

describe('origins', () => {
  const origins = (protocol: Protocol, more = {}) => [
    ...configuredOrigins({ ...destinationConfig(protocol, url), ...more }, [url, null]),
  ];

  it.each(remoteProtocols)('of %s are those of the configuration', (protocol) => {
    expect(origins(protocol, { 'also-trusts': ['https://login.fenmarsh.example'], 'path-style': true })).toEqual([
      'https://packages.fenmarsh.example',
      'https://login.fenmarsh.example',
    ]);
  });

  it('of a bucket have its host too, unless the bucket is in the path', () => {
    expect(origins('s3', { bucket: 'tides', 'path-style': false })).toEqual([
      'https://packages.fenmarsh.example',
      'https://tides.packages.fenmarsh.example',
    ]);
    expect(origins('s3', { bucket: 'tides', 'path-style': true })).toHaveLength(1);
  });
});

it('only a folder is on this machine', () => {
  expect(stores.filter((over) => !isRemote({ over }))).toEqual(['folder']);
  expect(isRemote({ over: null })).toBe(true);
});
