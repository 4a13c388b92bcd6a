import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { deflateRawSync, gzipSync } from 'node:zlib';
import { pack } from 'tar-stream';
import { describe, expect, it } from 'vitest';
import { ordinaryLimits } from '../../src/world/archive/budget.ts';
import { extractArchive } from '../../src/world/archive/extract.ts';
import { readArchive } from '../../src/world/archive/read-archive.ts';
import { readEntry } from '../../src/world/archive/read-entry.ts';
import { writeTarGz } from '../../src/world/archive/write-tar.ts';
import { writeZip } from '../../src/world/archive/write-zip.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { itWith } from '../builders/tools.ts';

const mtime = 1_775_000_000;
const origin = { type: 'generated' } as const;
const text = (inside: string, content: string, mode = 0o644) => ({
  path: inside,
  mode,
  origin,
  content: { type: 'bytes', bytes: Buffer.from(content) } as const,
});

async function zipOf(inputs: Parameters<typeof writeZip>[1], comment: string | null = null): Promise<string> {
  const file = path.join(temporaryFolder(), 'x.zip');
  await writeZip(file, inputs, { mtime, comment });
  return file;
}

/** The archive with some bytes changed. */
function altered(file: string, change: (bytes: Buffer) => Buffer): string {
  const other = path.join(temporaryFolder(), 'y.zip');
  writeFileSync(other, change(readFileSync(file)));
  return other;
}

describe('a written zip', () => {
  const python =
    'import sys, zipfile; z = zipfile.ZipFile(sys.argv[1]); assert z.testzip() is None; print([(i.filename, i.file_size, oct(i.external_attr >> 16), i.compress_type, i.date_time) for i in z.infolist()])';

  itWith('python3')('is one that others read: names, modes, times, links, large files', async () => {
    const large = path.join(temporaryFolder(), 'large');
    writeFileSync(large, 'tide\n'.repeat(600_000));
    const file = await zipOf([
      text('ä.txt', 'tide '.repeat(100), 0o755),
      text('empty', ''),
      text('noise', Buffer.from(Array.from({ length: 64 }, (_, index) => (index * 7919) % 251)).toString('latin1')),
      { path: 'folder/', mode: 0o755, origin, content: { type: 'folder' } },
      { path: 'link', mode: 0o777, origin, content: { type: 'symlink', linkname: 'empty' } },
      { path: 'large', mode: 0o644, origin, content: { type: 'file', file: large, sizeBytes: 3_000_000 } },
      {
        path: 'list',
        mode: 0o644,
        origin,
        content: { type: 'made', make: (before) => Buffer.from(String(before.length)) },
      },
    ]);

    const listed = execFileSync('python3', ['-c', python, file], { encoding: 'utf8' });

    expect(listed).toContain("('ä.txt', 500, '0o100755', 8, (2026, 3, 31, 23, 33, 20))");
    expect(listed).toContain("('empty', 0, '0o100644', 0,");
    expect(listed).toContain("('folder/', 0, '0o40755', 0,");
    expect(listed).toContain("('link', 5, '0o120777', 0,");
    expect(listed).toContain("('large', 3000000, '0o100644', 8,");
    const read = await readArchive(file, { wants: (name) => name === 'list' });
    expect(read.kept.get('list')?.toString()).toBe('6');
    expect(read.entries.find((entry) => entry.path === 'link')).toMatchObject({ type: 'symlink', linkname: 'empty' });
    expect(readdirSync(path.dirname(file))).toEqual(['x.zip']);
  });

  it('is read back as written, comment included, and is the same at any time', async () => {
    const inputs = [text('a', 'x'.repeat(5000)), text('b', 'y')];
    const file = await zipOf(inputs, 'c0ffee');
    const twin = await zipOf(inputs, 'c0ffee');

    const read = await readArchive(file);

    expect(readFileSync(file).equals(readFileSync(twin))).toBe(true);
    expect(read).toMatchObject({
      container: 'zip',
      comment: 'c0ffee',
      entries: [{ path: 'a', sizeBytes: 5000, mtime }, { path: 'b' }],
    });
  });
});

describe('a hostile zip', () => {
  // Offsets in the first local header and in the first central header (APPNOTE.TXT §4.3.7, §4.3.12).
  const central = (bytes: Buffer) => bytes.indexOf(Buffer.from('504b0102', 'hex'));
  const write = (at: (bytes: Buffer) => number, value: number) => (bytes: Buffer) => {
    bytes.writeUInt32LE(value, at(bytes));
    return bytes;
  };

  it.each<[string, (bytes: Buffer) => Buffer, string, RegExp]>([
    ['is cut off', (bytes) => bytes.subarray(0, bytes.length - 30), 'ARCHIVE_DAMAGED', /./],
    ['declares another size in its local header', write(() => 22, 4000), 'ARCHIVE_AMBIGUOUS', /two sizes/],
    ['declares another checksum', write((bytes) => central(bytes) + 16, 1), 'ARCHIVE_AMBIGUOUS', /two checksums/],
    [
      'has another name in its local header',
      (bytes) =>
        Buffer.from(
          bytes
            .toString('latin1')
            .replace('PK\x03\x04', 'PK\x03\x04')
            .replace(/a\.txt/, 'b.txt'),
          'latin1',
        ),
      'ARCHIVE_AMBIGUOUS',
      /two names/,
    ],
    [
      'is encrypted',
      (bytes) => {
        bytes[central(bytes) + 8] = 1;
        return bytes;
      },
      'ARCHIVE_ENCRYPTED',
      /is encrypted, so its contents cannot be checked/,
    ],
    [
      'is packed in an unusual way',
      (bytes) => {
        bytes[central(bytes) + 10] = 14;
        return bytes;
      },
      'ARCHIVE_DAMAGED',
      /method 14/,
    ],
    [
      'unpacks to fewer bytes than both headers say',
      (bytes) => write((b) => central(b) + 24, 5001)(write(() => 22, 5001)(bytes)),
      'ARCHIVE_DAMAGED',
      /declares 5001/,
    ],
    [
      'unpacks to more bytes than both headers say',
      (bytes) => write((b) => central(b) + 24, 4999)(write(() => 22, 4999)(bytes)),
      'ARCHIVE_DAMAGED',
      /more than the 4999/,
    ],
    [
      'has other bytes than its checksum',
      (bytes) => write((b) => central(b) + 16, 7)(write(() => 14, 7)(bytes)),
      'ARCHIVE_DAMAGED',
      /checksum/,
    ],
    ['is something else', () => Buffer.from('PK\x03\x04 but no archive'.padEnd(100)), 'ARCHIVE_DAMAGED', /./],
  ])('that %s is refused', async (_, change, code, why) => {
    const file = altered(await zipOf([text('a.txt', 'x'.repeat(5000))]), change);

    await expect(readArchive(file)).rejects.toMatchObject({ code, why: expect.stringMatching(why), where: { file } });
  });

  it('whose members share bytes is refused', async () => {
    const file = await zipOf([text('a', 'x'.repeat(50)), text('b', 'x'.repeat(50))]);
    const overlapping = altered(file, (bytes) => {
      const [first, second] = [central(bytes), bytes.indexOf(Buffer.from('504b0102', 'hex'), central(bytes) + 4)];
      // Both names are one byte long, so the second entry can point to the first one's header.
      bytes.writeUInt32LE(bytes.readUInt32LE(first + 42), second + 42);
      bytes[second + 46] = bytes[first + 46] ?? 0;
      return bytes;
    });

    await expect(readArchive(overlapping)).rejects.toMatchObject({
      code: 'ARCHIVE_DAMAGED',
      why: expect.stringContaining('overlap'),
    });
  });

  it('that declares more than the limits ends before anything is unpacked', async () => {
    const file = await zipOf([text('a', 'x'.repeat(200_000))]);

    await expect(readArchive(file, {}, { ...ordinaryLimits, freeBytes: 1000 })).rejects.toMatchObject({
      code: 'ARCHIVE_TOO_LARGE',
    });
    await expect(readArchive(file, {}, { ...ordinaryLimits, entries: 0 })).rejects.toMatchObject({
      code: 'ARCHIVE_TOO_LARGE',
    });
  });
});

it('has a digest of every entry, however its bytes come', async () => {
  const texts = ['', 'tide', 'x'.repeat(3_400_000), '', 'y'.repeat(70_000)];
  const file = path.join(temporaryFolder(), 'x.tar.gz');
  await writeTarGz(
    file,
    texts.map((content, index) => text(`file-${index}`, content)),
    { mtime },
  );

  const { entries } = await readArchive(file);

  expect(entries.map(({ sha256 }) => sha256)).toEqual(
    texts.map((content) => createHash('sha256').update(content).digest('hex')),
  );
});

it('a gzip bomb ends at its ratio, with little memory', async () => {
  const file = path.join(temporaryFolder(), 'bomb.tar.gz');
  const zeros = Buffer.alloc(64 << 20);
  const packed = pack();
  packed.entry({ name: 'p/zeros' }, zeros);
  packed.finalize();
  const chunks: Buffer[] = [];
  for await (const chunk of packed as AsyncIterable<Buffer>) chunks.push(chunk);
  writeFileSync(file, gzipSync(Buffer.concat(chunks)));

  await expect(readArchive(file, {}, { ...ordinaryLimits, freeBytes: 1 << 20 })).rejects.toMatchObject({
    code: 'ARCHIVE_TOO_LARGE',
    why: expect.stringContaining('unpacks to more than'),
  });
});

describe('a Debian package from elsewhere', () => {
  itWith('dpkg-deb').each(['gzip', 'xz', 'none'])(
    'packed with %s is read: control, entries at their places',
    async (method) => {
      const folder = temporaryFolder();
      const tree = path.join(folder, 'tree');
      mkdirSync(path.join(tree, 'DEBIAN'), { recursive: true });
      mkdirSync(path.join(tree, 'usr/share/tide'), { recursive: true });
      writeFileSync(
        path.join(tree, 'DEBIAN/control'),
        'Package: tide\nVersion: 1:2.0-3\nArchitecture: all\nMaintainer: H <h@fenmarsh.example>\nDescription: x\n',
      );
      writeFileSync(path.join(tree, 'usr/share/tide/table'), 'high\n'.repeat(10_000));
      symlinkSync('table', path.join(tree, 'usr/share/tide/link'));
      const file = path.join(folder, 'tide.deb');
      execFileSync('dpkg-deb', ['--root-owner-group', `-Z${method}`, '--build', tree, file], { stdio: 'ignore' });

      const read = await readArchive(file);

      expect(read.control.get('control')).toContain('Version: 1:2.0-3');
      expect(read.entries.map((entry) => `${entry.type} ${entry.path} ${entry.owner}`).sort()).toEqual([
        'file usr/share/tide/table 0:0 root:root',
        'folder usr/ 0:0 root:root',
        'folder usr/share/ 0:0 root:root',
        'folder usr/share/tide/ 0:0 root:root',
        'symlink usr/share/tide/link 0:0 root:root',
      ]);
      const cut = path.join(folder, 'cut.deb');
      writeFileSync(cut, readFileSync(file).subarray(0, 200));
      await expect(readArchive(cut)).rejects.toMatchObject({ code: 'ARCHIVE_DAMAGED' });
    },
  );
});

describe('one entry', () => {
  it('is printed byte for byte, of two at one path the last, of a link its target', async () => {
    const file = await zipOf([
      text('a', 'first'),
      text('a', 'last'),
      { path: 'l', mode: 0o777, origin, content: { type: 'symlink', linkname: 'a' } },
    ]);

    expect((await readEntry(file, 'a')).toString()).toBe('last');
    expect((await readEntry(file, 'l')).toString()).toBe('a');
    await expect(readEntry(await zipOf([text('p/a.txt', '')]), 'a.txt')).rejects.toMatchObject({
      code: 'ENTRY_NOT_FOUND',
      fix: 'Did you mean "p/a.txt"?',
    });
  });
});

describe('extracting', () => {
  it('writes files, folders, modes and links', async () => {
    const file = await zipOf([
      text('p/a', 'x'.repeat(3_000_000), 0o755),
      text('p/empty', ''),
      { path: 'p/f/', mode: 0o755, origin, content: { type: 'folder' } },
      { path: 'p/l', mode: 0o777, origin, content: { type: 'symlink', linkname: 'a' } },
    ]);
    const folder = path.join(temporaryFolder(), 'out');

    await extractArchive(file, folder);

    expect(readFileSync(path.join(folder, 'p/l'), 'utf8')).toHaveLength(3_000_000);
    expect(readdirSync(path.join(folder, 'p')).sort()).toEqual(['a', 'empty', 'f', 'l']);
  });

  it.each([
    ['climbs out', [text('../x', '')]],
    ['is absolute', [text('/etc/x', '')]],
    ['links outside', [{ path: 'l', mode: 0o777, origin, content: { type: 'symlink', linkname: '../../x' } as const }]],
    [
      'writes through a link',
      [{ path: 'l', mode: 0o777, origin, content: { type: 'symlink', linkname: 'd' } as const }, text('L', 'x')],
    ],
    ['is there twice', [text('a', '1'), text('A', '2')]],
  ])('writes nothing when an entry %s', async (_, inputs) => {
    const folder = path.join(temporaryFolder(), 'out');

    await expect(extractArchive(await zipOf(inputs), folder)).rejects.toMatchObject({ code: 'EXTRACT_UNSAFE' });

    expect(existsSync(folder)).toBe(false);
  });

  it('never writes over anything', async () => {
    const folder = temporaryFolder();
    writeFileSync(path.join(folder, 'a'), 'mine');

    await expect(extractArchive(await zipOf([text('b', ''), text('a', 'theirs')]), folder)).rejects.toMatchObject({
      code: 'EXTRACT_UNSAFE',
    });

    expect(readdirSync(folder)).toEqual(['a']);
  });
});

it('refuses text as an archive, and a missing file', async () => {
  const file = path.join(temporaryFolder(), 'notes.txt');
  writeFileSync(file, 'high water at noon');
  const wrong = path.join(temporaryFolder(), 'x.whl');
  writeFileSync(wrong, deflateRawSync('x'));

  await expect(readArchive(file)).rejects.toMatchObject({ code: 'ARCHIVE_UNKNOWN' });
  await expect(readArchive(wrong)).rejects.toMatchObject({ code: 'ARCHIVE_DAMAGED' });
  await expect(readArchive(path.dirname(file))).rejects.toMatchObject({
    code: 'FILE_NOT_FOUND',
    why: 'it is a folder',
  });
});
