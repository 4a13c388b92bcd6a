import { chmodSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import type { CredentialConfig } from '../../src/core/config/config.ts';
import { secretReferences, secretVariables } from '../../src/core/config/secret-references.ts';
import { authorizationHeaders, usualCredential } from '../../src/store/authorization.ts';
import { type Credential, readCredential } from '../../src/world/credential.ts';
import { keepCredential, keptFile, readKept } from '../../src/world/kept-credentials.ts';
import { destinationConfig } from '../builders/parcel.ts';
import { temporaryFolder } from '../builders/repository.ts';

const env = { A: 'secret-of-a', B: 'secret-of-b', U: 'harbour', PAIR: 'harbour:pass:word' };

describe('a credential', () => {
  it.each<[string, CredentialConfig, Credential, string[]]>([
    ['nothing', 'none', { type: 'none' }, []],
    ['the usual chain', 'chain', { type: 'chain' }, []],
    ['a reference alone', 'env:A', { type: 'bare', secret: 'secret-of-a' }, ['secret-of-a']],
    [
      'a pair in one reference',
      'env:PAIR',
      { type: 'bare', secret: 'harbour:pass:word' },
      ['harbour:pass:word', 'pass:word'],
    ],
    ['a token', { token: 'env:A' }, { type: 'token', secret: 'secret-of-a' }, ['secret-of-a']],
    [
      'a user by name',
      { user: 'harbour', password: 'env:A' },
      { type: 'basic', user: 'harbour', password: 'secret-of-a' },
      ['secret-of-a', 'harbour:secret-of-a'],
    ],
    [
      'a user by reference',
      { user: 'env:U', password: 'env:A' },
      { type: 'basic', user: 'harbour', password: 'secret-of-a' },
      ['harbour', 'secret-of-a', 'harbour:secret-of-a'],
    ],
    [
      'a header',
      { header: 'X-Key', value: 'env:A' },
      { type: 'header', name: 'X-Key', value: 'secret-of-a' },
      ['secret-of-a'],
    ],
    [
      'keys of an object store',
      { 'access-key': 'env:A', 'secret-key': 'env:B' },
      { type: 'keys', accessKey: 'secret-of-a', secretKey: 'secret-of-b', session: null },
      ['secret-of-a', 'secret-of-b'],
    ],
  ])('of %s is read, and every secret in it is known', async (_, config, expected, secrets) => {
    const found = new Set<string>();

    expect(await readCredential(config, { env, folder: '/', origins: new Set() }, found)).toEqual(expected);
    expect([...found]).toEqual(secrets);
  });

  it.each<[CredentialConfig, string[]]>([
    ['none', []],
    ['env:A', ['A']],
    [{ user: 'harbour', password: 'env:B' }, ['B']],
    [{ user: 'env:A', password: 'env:B' }, ['A', 'B']],
    [{ 'access-key': 'env:A', 'secret-key': 'env:B', session: 'file:x' }, ['A', 'B']],
  ])('%j hides its variables from build steps', (credential, names) => {
    const config = { ...destinationConfig('http-put', 'https://x.example/'), credential };

    expect(secretVariables(config)).toEqual(names);
    expect(secretReferences(credential).filter((secretReference) => secretReference.startsWith('env:'))).toEqual(
      names.map((name) => `env:${name}`),
    );
  });

  it('of the usual chain hides what object store clients read', () => {
    const config = { ...destinationConfig('s3', 'https://x.example/'), credential: 'chain' };

    expect(secretVariables(config)).toContain('AWS_SECRET_ACCESS_KEY');
  });

  it.each([
    ['npm-registry', 'tok-123456', { authorization: 'Bearer tok-123456' }],
    [
      'python-index',
      'tok-123456',
      { authorization: `Basic ${Buffer.from('__token__:tok-123456').toString('base64')}` },
    ],
    ['python-index', 'harbour:pass', { authorization: `Basic ${Buffer.from('harbour:pass').toString('base64')}` }],
    ['nuget-v3', 'key-123456', { 'x-nuget-apikey': 'key-123456' }],
    ['maven-layout', 'harbour:pass', { authorization: `Basic ${Buffer.from('harbour:pass').toString('base64')}` }],
    ['http-put', 'tok-123456', { authorization: 'Bearer tok-123456' }],
  ] as const)('given bare to %s is of its usual kind', (speaks, secret, headers) => {
    expect(authorizationHeaders(speaks, { type: 'bare', secret })).toEqual(headers);
  });

  it('of another protocol’s shape is refused', () => {
    const keys = { type: 'keys', accessKey: 'a', secretKey: 'b', session: null } as const;

    expect(() => authorizationHeaders('http-put', keys)).toThrow(expect.objectContaining({ code: 'CREDENTIAL_KIND' }));
    expect(usualCredential('s3', { type: 'bare', secret: 'a:b' })).toEqual(keys);
    expect(usualCredential('s3', { type: 'bare', secret: 'ab' })).toEqual({ type: 'token', secret: 'ab' });
  });
});

const office = new Set(['https://office.example']);

describe('a kept credential', () => {
  it('is kept beside the others, for its owner alone', async () => {
    const home = { XDG_CONFIG_HOME: temporaryFolder() };

    await keepCredential('office', { secret: 'secret: "of" the office', origins: office }, home);
    const file = await keepCredential('archive', { secret: 'other', origins: office }, home);

    expect(file).toBe(keptFile(home));
    expect(statSync(file).mode & 0o777).toBe(0o600);
    expect(statSync(path.dirname(file)).mode & 0o777).toBe(0o700);
    expect([await readKept('office', office, home), await readKept('archive', office, home)]).toEqual([
      'secret: "of" the office',
      'other',
    ]);
    expect(await readKept('nothing', office, home)).toBeUndefined();
  });

  it.each([
    ['another origin', ['https://attacker.example']],
    ['its own origin and another one', ['https://office.example', 'https://attacker.example']],
    ['another port', ['https://office.example:8443']],
    ['its own host without encryption', ['http://office.example']],
  ])('is not sent to %s', async (_, origins) => {
    const home = { XDG_CONFIG_HOME: temporaryFolder() };
    await keepCredential('office', { secret: 'secret-of-office', origins: office }, home);

    const error = await readKept('office', new Set(origins), home).catch((thrown: unknown) => thrown);

    expect(error).toMatchObject({ code: 'CREDENTIAL_ELSEWHERE' });
    expect(JSON.stringify(error)).not.toContain('secret-of-office');
  });

  it('in a file that others could read is refused, for reading and for writing', async () => {
    const home = { XDG_CONFIG_HOME: temporaryFolder() };
    const file = await keepCredential('office', { secret: 'secret-of-office', origins: office }, home);
    chmodSync(file, 0o644);

    await expect(readKept('office', office, home)).rejects.toMatchObject({ code: 'CREDENTIAL_UNSAFE' });
    await expect(keepCredential('archive', { secret: 'other', origins: office }, home)).rejects.toMatchObject({
      code: 'CREDENTIAL_UNSAFE',
    });
    expect(readFileSync(file, 'utf8')).not.toContain('other');
  });

  it.each([
    ['is no YAML', 'kept: { office: secret-of-office: {', 'YAML'],
    ['is a list', '- secret-of-office', 'not an object'],
    ['has no format', 'kept: { office: { secret: secret-of-office, origins: [] } }', '`schema` is missing'],
    ['is of a newer program', 'schema: 2\nkept: secret-of-office', 'newer version of Bevelstone'],
    ['has no origins', 'schema: 1\nkept: { office: { secret: secret-of-office } }', '`kept.office.origins` is missing'],
    [
      'has a list as secret',
      'schema: 1\nkept: { office: { secret: [secret-of-office], origins: [] } }',
      '`kept.office.secret`',
    ],
    [
      'has origins that are none',
      'schema: 1\nkept: { office: { secret: secret-of-office, origins: [office] } }',
      '`kept.office.origins`',
    ],
  ])('in a file that %s is refused and never shown', async (_, text, why) => {
    const home = { XDG_CONFIG_HOME: temporaryFolder() };
    const file = await keepCredential('office', { secret: 'secret-of-office', origins: office }, home);
    writeFileSync(file, text, { mode: 0o600 });

    const error = await readKept('office', office, home).catch((item: unknown) => item);
    expect(error).toMatchObject({ code: 'KEPT_DAMAGED', why: expect.stringContaining(why), where: { file } });
    expect(JSON.stringify(error) + String((error as Error).stack)).not.toContain('secret-of-office');
  });

  it('that is damaged spoils no other, and is still there when one is added', async () => {
    const home = { XDG_CONFIG_HOME: temporaryFolder() };
    const file = await keepCredential('office', { secret: 'secret-of-office', origins: office }, home);
    writeFileSync(file, `${readFileSync(file, 'utf8')}  archive: half\n`, { mode: 0o600 });

    await keepCredential('harbour', { secret: 'third', origins: office }, home);

    expect([await readKept('office', office, home), await readKept('harbour', office, home)]).toEqual([
      'secret-of-office',
      'third',
    ]);
    expect(readFileSync(file, 'utf8')).toContain('archive: half');
  });
});
