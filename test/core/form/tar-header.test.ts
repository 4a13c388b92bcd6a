import fc from 'fast-check';
import { extract } from 'tar-stream';
import { describe, expect, it } from 'vitest';
import { encodeTarHeader, endOfArchive, type TarMember } from '../../../src/core/form/tar-header.ts';

const member = (more: Partial<TarMember> = {}): TarMember => ({
  path: 'package/a.txt',
  type: 'file',
  sizeBytes: 0,
  mode: 0o644,
  mtime: 1_700_000_000,
  linkname: '',
  ...more,
});

/** Reads one header back with somebody else's reader. */
async function readBack(header: Buffer) {
  const reader = extract();
  reader.end(Buffer.concat([header, endOfArchive()]));
  for await (const entry of reader) {
    entry.resume();
    return entry.header;
  }
  return null;
}

describe('a tar header', () => {
  it('has the fields of the specification at their places', () => {
    const header = encodeTarHeader(member({ sizeBytes: 10 }));
    const text = (start: number, length: number) => header.toString('latin1', start, start + length);

    expect(header).toHaveLength(512);
    expect(text(0, 14)).toBe('package/a.txt\0');
    expect(text(100, 24)).toBe('0000644\u00000000000\u00000000000\0');
    expect(text(124, 24)).toBe('00000000012\u000014524770400\0');
    expect(text(156, 1)).toBe('0');
    expect(text(257, 8)).toBe('ustar\u000000');
    // The sum of all bytes with the sum's own field as spaces.
    const sum = header.reduce((total, byte, at) => total + (at >= 148 && at < 156 ? 32 : byte), 0);
    expect(text(148, 8)).toBe(`${sum.toString(8).padStart(6, '0')}\0 `);
  });

  it('keeps any path and link, however long and in whatever letters', async () => {
    const name = fc
      .string({ unit: fc.constantFrom(...'abä日/. '), minLength: 1, maxLength: 400 })
      .filter((text) => !text.endsWith('/'));
    await fc.assert(
      fc.asyncProperty(name, name, async (path, linkname) => {
        const plain = await readBack(encodeTarHeader(member({ path: `p${path}` })));
        const link = await readBack(encodeTarHeader(member({ type: 'symlink', linkname })));
        expect(plain?.name).toBe(`p${path}`);
        expect(link).toMatchObject({ type: 'symlink', linkname });
      }),
    );
  });

  it.each([
    [8 * 2 ** 30 - 1, 512],
    [8 * 2 ** 30, 3 * 512],
    [2 ** 45, 3 * 512],
  ])('says a size of %i in %i bytes, so that readers take it', async (sizeBytes, length) => {
    const header = encodeTarHeader(member({ sizeBytes }));

    expect(header).toHaveLength(length);
    expect((await readBack(header))?.size).toBe(sizeBytes);
  });

  it.each([
    [{ mtime: 2 ** 33 }, 'mtime'],
    [{ mtime: -1 }, 'mtime'],
  ])('refuses %j rather than cutting it', (more, field) => {
    expect(() => encodeTarHeader(member(more))).toThrow(
      expect.objectContaining({ code: 'FORM_FIELD_TOO_LARGE', message: expect.stringContaining(field) }),
    );
  });
});

it.each([
  ['a name of 100 bytes', 'n'.repeat(100), 'file'],
  ['a prefix of 155 and a name of 100', `${'p'.repeat(155)}/${'n'.repeat(100)}`, 'file'],
  ['a prefix of 156', `${'p'.repeat(156)}/${'n'.repeat(100)}`, 'extended'],
  ['a name of 101', `${'p'.repeat(20)}/${'n'.repeat(101)}`, 'extended'],
  ['folders that divide only late', `${'p/'.repeat(77)}${'n'.repeat(101)}/${'m'.repeat(20)}`, 'extended'],
])('%s fits an ordinary header, or gets an extended one', async (_, path, kind) => {
  const header = encodeTarHeader(member({ path }));

  expect(header.length).toBe(kind === 'file' ? 512 : header.length);
  expect(header.length > 512).toBe(kind === 'extended');
  expect((await readBack(header))?.name).toBe(path);
});
