import { createHash } from 'node:crypto';
import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { readTextIfThere, writeWhole } from '../../src/world/files.ts';
import { findInstalled } from '../../src/world/installed-package.ts';
import { headBytes, surveyFiles } from '../../src/world/survey-files.ts';
import { temporaryFolder } from '../builders/repository.ts';

/** Files of sizes around every limit that reading has. */
const sizes = [0, 1, headBytes, headBytes + 1, (4 << 20) - 1, 4 << 20, (4 << 20) + 1, 9 << 20];

describe('a survey of files', () => {
  it('takes the digests of files of any size', async () => {
    const folder = temporaryFolder();
    const contents = sizes.map((size, index) => Buffer.alloc(size, index + 65));
    for (const [index, bytes] of contents.entries()) writeFileSync(path.join(folder, `f${index}`), bytes);

    const found = await surveyFiles(
      folder,
      sizes.map((_, index) => `f${index}`),
    );

    const digest = (algorithm: string, bytes: Buffer) => createHash(algorithm).update(bytes).digest('hex');
    expect(found.map(({ path: file, sizeBytes, sha1, sha256 }) => [file, sizeBytes, sha1, sha256])).toEqual(
      contents.map((bytes, index) => [`f${index}`, bytes.length, digest('sha1', bytes), digest('sha256', bytes)]),
    );
  });

  it('gives the beginning of those that may name a licence, and keeps the order of many', async () => {
    const folder = temporaryFolder();
    const names = Array.from({ length: 700 }, (_, index) => `f${index}`);
    for (const [index, name] of names.entries())
      writeFileSync(path.join(folder, name), index % 100 === 0 ? `// SPDX-License-Identifier: MIT ${index}` : name);

    const found = await surveyFiles(folder, names);

    expect(found.map(({ path: file }) => file)).toEqual(names);
    expect(found.flatMap(({ head }) => (head === null ? [] : [head.toString()]))).toEqual(
      [0, 1, 2, 3, 4, 5, 6].map((index) => `// SPDX-License-Identifier: MIT ${index * 100}`),
    );
  });

  it('fails when a file is gone', async () => {
    await expect(surveyFiles(temporaryFolder(), ['gone'])).rejects.toThrow(/ENOENT/);
  });
});

describe('writing a file', () => {
  it('says that a place cannot be written, and leaves nothing', async () => {
    const folder = temporaryFolder();
    await writeWhole(path.join(folder, 'a/b.txt'), 'tides');
    const inFile = writeWhole(path.join(folder, 'a/b.txt/c'), 'x');
    mkdirSync(path.join(folder, 'folder'));
    const overFolder = writeWhole(path.join(folder, 'folder'), 'x');

    await expect(inFile).rejects.toMatchObject({ code: 'FILE_UNWRITABLE' });
    await expect(overFolder).rejects.toMatchObject({
      code: 'FILE_UNWRITABLE',
      where: { file: path.join(folder, 'folder') },
    });
    expect(await readTextIfThere(path.join(folder, 'a/b.txt'))).toBe('tides');
  });
});

describe('an installed package', () => {
  const install = (folder: string, name: string, version: string) => {
    mkdirSync(path.join(folder, 'node_modules', name), { recursive: true });
    writeFileSync(path.join(folder, 'node_modules', name, 'package.json'), JSON.stringify({ name, version }));
  };

  it('is the nearest one on the way up', async () => {
    const top = temporaryFolder();
    const inner = path.join(top, 'node_modules/store');
    install(top, 'store', '2.0.0');
    install(top, 'cache', '1.0.0');
    install(inner, 'cache', '3.0.0');

    const version = async (name: string, from: string) =>
      JSON.parse((await findInstalled(name, from))?.manifestText ?? '{}').version;
    expect(await version('cache', inner)).toBe('3.0.0');
    expect(await version('cache', path.join(top, 'packages/deep'))).toBe('1.0.0');
    expect(await version('none', inner)).toBeUndefined();
  });

  it.each(['../store', '/etc', 'a/../../b', '', '.'])('is never looked for under the name %j', async (name) => {
    expect(await findInstalled(name, temporaryFolder())).toBeNull();
  });
});
