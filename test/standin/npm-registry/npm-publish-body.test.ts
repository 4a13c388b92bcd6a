import fc from 'fast-check';
import { expect, it } from 'vitest';
import { PublishBody } from '../../../src/standin/npm-registry/npm-publish-body.ts';

async function* cut(bytes: Buffer, sizes: readonly number[]): AsyncGenerator<Uint8Array> {
  let at = 0;
  for (let turn = 0; at < bytes.length; turn++) {
    const size = sizes[turn % Math.max(1, sizes.length)] ?? bytes.length;
    yield bytes.subarray(at, at + size);
    at += size;
  }
}

async function read(text: string, sizes: readonly number[]) {
  const body = new PublishBody();
  const parts: Buffer[] = [];
  for await (const part of body.attachment(cut(Buffer.from(text), sizes))) parts.push(part);
  return { bytes: Buffer.concat(parts), document: body.document() };
}

it('takes the tarball out of any document, wherever the chunks are cut', async () => {
  const sizes = fc.array(fc.integer({ min: 1, max: 40 }), { minLength: 1, maxLength: 6 });
  const readme = fc.string({ unit: 'binary', maxLength: 60 });
  await fc.assert(
    fc.asyncProperty(fc.uint8Array({ maxLength: 200 }), readme, sizes, async (bytes, text, cuts) => {
      const data = Buffer.from(bytes).toString('base64');
      const document = {
        name: 'tidemark',
        readme: text,
        // The same key elsewhere is not an attachment.
        data: 'kept',
        versions: { '1.4.0': { data: ['"data":"', { data: text }], _attachments: { x: { data: 'kept' } } } },
        _attachments: { 'tidemark-1.4.0.tgz': { length: bytes.length, data } },
        after: [text, { deep: [] }],
      };
      const found = await read(JSON.stringify(document), cuts);

      expect(found.bytes.equals(Buffer.from(bytes))).toBe(true);
      const emptied = { ...document, _attachments: { 'tidemark-1.4.0.tgz': { length: bytes.length, data: '' } } };
      expect(found.document).toEqual(emptied);
    }),
  );
});

it('understands slashes that are escaped', async () => {
  const bytes = Buffer.from([0xff, 0xff, 0xff, 0xfe]);
  const data = bytes.toString('base64').replaceAll('/', '\\/');

  const found = await read(`{"_attachments":{"a":{"data":"${data}"}}}`, [3]);

  expect(data).toContain('\\/');
  expect(found.bytes.equals(bytes)).toBe(true);
});

it.each(['', '{}', '[]', '{"_attachments":{}}', '{"_attachments":{"a":{"data":7}}}'])(
  'finds no tarball in %j',
  async (text) => {
    expect((await read(text, [2])).bytes).toHaveLength(0);
  },
);

it.each(['{', 'text', '{"_attachments":{"a":{"data":"AAAA'])('refuses what is no JSON: %j', async (text) => {
  await expect(read(text, [4])).rejects.toMatchObject({ status: 400 });
});
