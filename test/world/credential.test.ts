import { chmodSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { readCredential } from '../../src/world/credential.ts';
import { temporaryFolder } from '../builders/repository.ts';

const origins = new Set(['https://office.example']);

describe('a credential', () => {
  it.each([
    ['none', null],
    ['env:TIDE_TOKEN', 'from-the-environment'],
    ['file:token', 'from-the-file'],
  ])('%s is %s', async (reference, secret) => {
    const folder = temporaryFolder();
    writeFileSync(path.join(folder, 'token'), 'from-the-file\n', { mode: 0o600 });

    const found = new Set<string>();
    const credential = await readCredential(
      reference,
      { env: { TIDE_TOKEN: 'from-the-environment' }, folder, origins },
      found,
    );

    expect(credential).toEqual(secret === null ? { type: 'none' } : { type: 'bare', secret });
    expect([...found]).toEqual(secret === null ? [] : [secret]);
  });

  it.each(['env:TIDE_TOKEN', 'env:EMPTY', 'file:nowhere'])(
    '%s that is not there is missed by name',
    async (reference) => {
      const reading = readCredential(reference, { env: { EMPTY: ' ' }, folder: temporaryFolder(), origins }, new Set());

      await expect(reading).rejects.toMatchObject({
        code: 'CREDENTIAL_MISSING',
        message: expect.stringContaining(reference),
      });
    },
  );

  it('in a file that others could read, or behind a link, is refused without being read', async () => {
    const folder = temporaryFolder();
    const file = path.join(folder, 'token');
    writeFileSync(file, 'secret-of-the-office', { mode: 0o600 });
    symlinkSync(file, path.join(folder, 'link'));
    chmodSync(file, 0o640);

    for (const name of ['token', 'link']) {
      const error = await readCredential(`file:${name}`, { env: {}, folder, origins }, new Set()).catch(
        (item: unknown) => item,
      );
      expect(error).toMatchObject({ code: 'CREDENTIAL_UNSAFE' });
      expect(JSON.stringify(error)).not.toContain('secret-of-the-office');
    }
  });
});
