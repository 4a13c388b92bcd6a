import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { decodeArHeader, encodeArHeader } from '../../../src/core/form/ar-header.ts';
import { formatControl, parseControl } from '../../../src/core/form/deb/control.ts';
import { formatJarManifest, moduleNameOf, parseJarManifest } from '../../../src/core/form/jar/jar-manifest.ts';
import { planArtifact } from '../../../src/core/form/plan-artifact.ts';
import { platformUse } from '../../../src/core/form/platform-use.ts';
import { encodeTarComment, encodeTarHeader } from '../../../src/core/form/tar-header.ts';
import { decodePax, decodeTarHeader, TarError } from '../../../src/core/form/tar-reader.ts';
import { encodeDosTime, encodeLocalHeader } from '../../../src/core/form/zip-header.ts';
import { nuspecFormat } from '../../../src/core/manifest/nuspec.ts';
import { pomFormat } from '../../../src/core/manifest/pom-xml.ts';
import { stampByRule } from '../../../src/core/manifest/stamp-rule.ts';
import { stampHeader } from '../../../src/core/manifest/version-header.ts';
import { artifactConfig, candidate, fileRule, formInput, pathsOf, textOf } from '../../builders/form-input.ts';

const commit = 'c0ffee0000000000000000000000000000000001';

describe('a jar manifest', () => {
  it('has lines of 72 bytes at most, CRLF ends, and an empty line behind (JAR File Specification)', () => {
    const text = formatJarManifest({ 'Manifest-Version': '1.0', Title: 'x'.repeat(150) });

    expect(text).toBe(
      `Manifest-Version: 1.0\r\nTitle: ${'x'.repeat(65)}\r\n ${'x'.repeat(71)}\r\n ${'x'.repeat(14)}\r\n\r\n`,
    );
  });

  it('is read back, whatever its values hold, and cuts no character', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'grapheme', maxLength: 300 }).map((text) => text.replace(/[\r\n\0]/g, ' ').trim()),
        (value) => {
          const text = formatJarManifest({ 'Manifest-Version': '1.0', Value: value });
          expect(parseJarManifest(text)['Value']).toBe(value);
          for (const line of text.split('\r\n')) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(72);
        },
      ),
      { examples: [['high\u2028low']] },
    );
  });

  it.each([
    ['example.fenmarsh', 'tidemark-jvm', 'example.fenmarsh.tidemark.jvm'],
    ['example.tides', 'tides-core', 'example.tides.core'],
    ['example', '3d-tides', 'example._3d.tides'],
  ])('names the module of %s:%s %s', (group, artifact, name) => {
    expect(moduleNameOf(group, artifact)).toBe(name);
  });
});

describe('jars', () => {
  const manifest = pomFormat.read(
    '<project><groupId>g.x</groupId><artifactId>a</artifactId><version>0</version></project>',
    'pom.xml',
  );
  const jvm = { manifest, manifestPath: 'pom.xml' };

  it('begin with the manifest and carry the licence; a module or several releases are seen', async () => {
    const files = {
      LICENSE: '',
      '{out}/classes/A.class': '',
      '{out}/classes/META-INF/versions/17/A.class': '',
      '{out}/classes/module-info.class': '',
    };

    const plan = await planArtifact(formInput('jar', files, jvm));

    expect(plan.fileName).toBe('a-1.4.0.jar');
    expect(pathsOf(plan)).toEqual([
      'META-INF/MANIFEST.MF',
      'A.class',
      'META-INF/LICENSE',
      'META-INF/versions/17/A.class',
      'module-info.class',
    ]);
    expect(parseJarManifest(textOf(plan.entries, 'META-INF/MANIFEST.MF'))).toEqual({
      'Manifest-Version': '1.0',
      'Created-By': 'bevelstone 0.1.0',
      'Multi-Release': 'true',
      'Implementation-Title': 'a',
      'Implementation-Version': '1.4.0',
      'Implementation-Vendor': 'Fenmarsh Tide Office',
      'Source-Commit': commit,
    });
  });

  it.each([
    [
      'sources-jar',
      { 'src/main/java/g/A.java': '', 'src/main/resources/x': '' },
      'a-1.4.0-sources.jar',
      ['g/A.java', 'x'],
    ],
    ['documentation-jar', { 'target/site/apidocs/index.html': '' }, 'a-1.4.0-javadoc.jar', ['index.html']],
  ] as const)('%s takes the usual folders', async (form, files, fileName, paths) => {
    const plan = await planArtifact(formInput(form, files, jvm));

    expect(plan.fileName).toBe(fileName);
    expect(pathsOf(plan).slice(1)).toEqual(paths);
  });

  it('need contents where nothing is usual, and a group', async () => {
    await expect(planArtifact(formInput('jar', {}, jvm))).rejects.toMatchObject({ code: 'CONTENTS_NEEDED' });
    await expect(planArtifact(formInput('jar', { '{out}/classes/A.class': '' }))).rejects.toMatchObject({
      code: 'FIELD_MISSING',
    });
  });

  it('get a POM of their own when the package has none', async () => {
    const plan = await planArtifact(
      formInput('pom', {}, { artifact: { coordinates: { groupId: 'g.x', license: 'MIT & more' } } }),
    );

    expect(plan).toMatchObject({ fileName: 'tides-1.4.0.pom', container: 'file' });
    const text = textOf(plan.entries, 'tides-1.4.0.pom');
    expect(pomFormat.read(text, 'x.pom')).toMatchObject({ name: 'g.x:tides', version: '1.4.0' });
    expect(text).toContain('<name>MIT &amp; more</name>');
  });
});

describe('a Debian package', () => {
  const control = {
    Maintainer: 'Harbour desk <harbour@fenmarsh.example>',
    Description: 'Tides\nof the bar\n\nand the quay',
  };
  const contents = [fileRule('lib', 'usr/lib/{multiarch}'), fileRule('etc')];
  const files = { LICENSE: 'MIT\n', 'lib/libtides.so.1': '', 'etc/tides.conf': '' };
  const plan = (more = {}) =>
    planArtifact(formInput('deb', files, { platform: 'linux-arm64', artifact: { files: contents, control, ...more } }));

  it('places files by the hierarchy standard, every folder before its contents', async () => {
    const { fileName, entries } = await plan({ revision: 3 });

    expect(fileName).toBe('tides_1.4.0-3_arm64.deb');
    expect(pathsOf({ entries })).toEqual([
      './',
      './etc/',
      './etc/tides.conf',
      './usr/',
      './usr/lib/',
      './usr/lib/aarch64-linux-gnu/',
      './usr/lib/aarch64-linux-gnu/libtides.so.1',
      './usr/share/',
      './usr/share/doc/',
      './usr/share/doc/tides/',
      './usr/share/doc/tides/changelog.Debian.gz',
      './usr/share/doc/tides/copyright',
    ]);
  });

  it('writes control, md5sums, conffiles and the trigger of a shared library', async () => {
    const { control = [] } = await plan();
    const origin = { type: 'generated' } as const;
    const base = { mode: 0o644, linkname: null, origin, sha256: '00' };
    const before = [
      { ...base, path: './', type: 'folder', sizeBytes: 0, md5: null },
      { ...base, path: './etc/tides.conf', type: 'file', sizeBytes: 1025, md5: 'aa' },
    ] as const;

    expect(pathsOf({ entries: control })).toEqual(['./control', './md5sums', './conffiles', './triggers']);
    expect(textOf(control, './md5sums', before)).toBe('aa  etc/tides.conf\n');
    expect(textOf(control, './conffiles')).toBe('/etc/tides.conf\n');
    expect(parseControl(textOf(control, './control', before))).toMatchObject({
      Package: 'tides',
      Version: '1.4.0-1',
      Architecture: 'arm64',
      'Installed-Size': '3',
      Description: 'Tides\nof the bar\n\nand the quay',
    });
    expect(textOf(control, './control', before)).toContain('Description: Tides\n of the bar\n .\n and the quay\n');
  });

  it.each([
    ['no maintainer', { control: { Description: 'x' } }, 'FIELD_MISSING'],
    ['a name that Debian does not allow', { control: { ...control, Package: 'T' } }, 'FIELD_MISSING'],
    ['no contents', { files: null }, 'CONTENTS_NEEDED'],
  ])('is refused with %s', async (_, more, code) => {
    await expect(plan(more)).rejects.toMatchObject({ code });
  });

  it('is refused for platforms that Debian has not, and without a licence', async () => {
    const artifact = { files: [fileRule('lib', 'usr/lib')], control };

    await expect(planArtifact(formInput('deb', files, { platform: 'macos-x64', artifact }))).rejects.toMatchObject({
      code: 'PLATFORM_UNCLEAR',
    });
    await expect(planArtifact(formInput('deb', { 'lib/a': '' }, { artifact }))).rejects.toMatchObject({
      code: 'CONTENTS_NO_MATCH',
    });
  });

  it('reads back any fields that it writes', () => {
    expect(parseControl(formatControl({ A: 'x', B: 'y\nz' }))).toEqual({ A: 'x', B: 'y\nz' });
    expect(parseControl('A: 1\n\nB: 2\n')).toEqual({ A: '1' });
  });
});

describe('a .NET package', () => {
  const nuspec = `<?xml version="1.0"?>
<package><metadata><id>Fen.Tides</id><version>0</version><description>a &amp; b</description>
<dependencies><group targetFramework="net8.0"><dependency id="Gauges" version="[1.0,2.0)"/></group></dependencies>
</metadata><files><file src="x"/></files></package>`;
  const manifest = nuspecFormat.read(nuspec, 'tides.nuspec');
  const net = { manifest, manifestPath: 'tides.nuspec' };
  const files = {
    'tides.nuspec': nuspec,
    'README.md': '',
    'bin/net8.0/a b.dll': '',
    'bin/net8.0/T.pdb': '',
    'bin/netstandard2.0/T.dll': '',
    'bin/net8.0/LICENCE': '',
  };
  const contents = [fileRule('bin', 'lib'), fileRule('README.md')];

  it('is an OPC package: relationships first, a content type for every ending and every file without', async () => {
    const plan = await planArtifact(formInput('nupkg', files, { ...net, artifact: { files: contents } }));

    expect(plan.fileName).toBe('Fen.Tides.1.4.0.nupkg');
    expect(pathsOf(plan).slice(0, 3)).toEqual(['_rels/.rels', 'Fen.Tides.nuspec', 'README.md']);
    expect(pathsOf(plan)).toContain('lib/net8.0/a%20b.dll');
    const types = textOf(plan.entries, '[Content_Types].xml');
    for (const ending of ['rels', 'psmdcp', 'nuspec', 'md', 'dll', 'pdb'])
      expect(types).toContain(`Extension="${ending}"`);
    expect(types).toContain('PartName="/lib/net8.0/LICENCE"');
  });

  it('keeps the nuspec and adds what a release knows: commit, notes, readme, a group for every framework', async () => {
    const plan = await planArtifact(formInput('nupkg', files, { ...net, artifact: { files: contents } }));

    const text = textOf(plan.entries, 'Fen.Tides.nuspec');
    expect(nuspecFormat.read(text, 'x')).toMatchObject({
      version: '1.4.0',
      description: 'a & b',
      dependencies: [{ name: 'Gauges', range: '[1.0,2.0)' }],
    });
    expect(text).toContain(`commit="${commit}"`);
    expect(text).toContain('<readme>README.md</readme>');
    expect(text).toContain('<group targetFramework="netstandard2.0"/>');
    expect(text).not.toContain('<files>');
  });

  it('has a package of symbols beside it', async () => {
    const plan = await planArtifact(formInput('snupkg', files, { ...net, artifact: { files: contents } }));

    expect(plan.fileName).toBe('Fen.Tides.1.4.0.snupkg');
    expect(pathsOf(plan).filter((path) => path.startsWith('lib/'))).toEqual(['lib/net8.0/T.pdb']);
    const text = textOf(plan.entries, 'Fen.Tides.nuspec');
    expect(text).toMatch(/<packageType name="SymbolsPackage"\/>/);
    expect(text).not.toContain('Gauges');
  });

  it('gets version and ranges written in, and nothing else changed', () => {
    const ranges = [{ name: 'Gauges', from: '[1.0,2.0)', to: '[2.0,3.0)' }];

    expect(nuspecFormat.stamp(nuspec, { version: '1.4.0', isStatic: true, ranges }, 'x')).toBe(
      nuspec.replace('<version>0<', '<version>1.4.0<').replace('[1.0,2.0)', '[2.0,3.0)'),
    );
    expect(() => nuspecFormat.read('<package/>', 'x')).toThrow(expect.objectContaining({ code: 'MANIFEST_INVALID' }));
  });
});

describe('plain archives', () => {
  it.each([
    ['tar.gz', null, null, 'tides-1.4.0.tar.gz', 'tides-1.4.0/a'],
    ['zip', 'linux-x64', null, 'tides-1.4.0-linux-x64.zip', 'tides-1.4.0-linux-x64/a'],
    [
      'tar.gz',
      'linux-x64',
      '{package}_{version}_{platform}.tgz',
      'tides_1.4.0_linux-x64.tgz',
      'tides-1.4.0-linux-x64/a',
    ],
  ] as const)('a %s for %s named %s is %s', async (form, platform, name, fileName, path) => {
    const plan = await planArtifact(formInput(form, { a: '' }, { platform, artifact: { name } }));

    expect([plan.fileName, pathsOf(plan), plan.comment]).toEqual([fileName, [path], commit]);
  });

  it('a source archive has the version in a file when nothing else carries it', async () => {
    const stamped = await planArtifact(formInput('source-archive', { a: '' }));
    const bare = await planArtifact(formInput('source-archive', { a: '' }, { isStamped: false }));

    const own = await planArtifact(formInput('source-archive', { a: '', VERSION: 'mine' }, { isStamped: false }));

    const how = 'tides-1.4.0/from-source.json';
    expect(pathsOf(own)).toEqual(['tides-1.4.0/VERSION', 'tides-1.4.0/a', how]);
    expect(own.entries.map(({ content }) => content.type)).toEqual(['file', 'file', 'bytes']);
    expect(stamped.fileName).toBe('tides-1.4.0-source.tar.gz');
    expect(pathsOf(stamped)).toEqual(['tides-1.4.0/a', how]);
    expect(textOf(bare.entries, 'tides-1.4.0/VERSION')).toBe('1.4.0\n');
  });

  it('a source archive says how it is built, and takes no file that says it otherwise', async () => {
    const whole = formInput('source-archive', { a: '' }, { folder: 'packages/tides', artifact: { tree: 'commit' } });
    const [own, other] = [await planArtifact(formInput('source-archive', { a: '' })), await planArtifact(whole)];

    const how = (plan: typeof own) => JSON.parse(textOf(plan.entries, 'tides-1.4.0/from-source.json') ?? '');
    expect(how(own)).toMatchObject({ schema: 'bevelstone/from-source/1', folder: '', version: '1.4.0' });
    expect(how(other).folder).toBe('packages/tides');
    await expect(planArtifact(formInput('source-archive', { 'from-source.json': '' }))).rejects.toMatchObject({
      code: 'CONTENTS_COLLISION',
    });
  });

  it('repeats a rule with {platform} for every platform in an archive of all', async () => {
    const contents = [fileRule('out/{platform}', 'runtimes/{platform}')];
    const files = { 'out/linux-x64/t.so': '', 'out/macos-arm64/t.dylib': '' };

    const plan = await planArtifact(
      formInput('tar.gz', files, { platforms: ['linux-x64', 'macos-arm64'], artifact: { files: contents } }),
    );

    expect(pathsOf(plan)).toEqual(['tides-1.4.0/runtimes/linux-x64/t.so', 'tides-1.4.0/runtimes/macos-arm64/t.dylib']);
  });
});

describe('helpers', () => {
  const helper = (name: 'pkg-config' | 'launcher' | 'desktop-entry' | 'installed-files', more = {}) => ({
    helper: name,
    name: null,
    run: null,
    set: {},
    ...more,
  });
  const plan = (helpers: ReturnType<typeof helper>[], files: Record<string, string>, more = {}) =>
    planArtifact(formInput('tar.gz', files, { artifact: { helpers }, ...more }));

  it('writes a pkg-config file of its own, or fills in the template', async () => {
    const own = await plan([helper('pkg-config')], { 'lib/libtide.so.1': '' });
    const template = { 'tides.pc.in': 'prefix=@prefix@\nVersion: @VERSION@\n' };
    const filled = await plan([helper('pkg-config')], template, { manifestPath: 'tides.pc.in' });

    expect(textOf(own.entries, 'tides-1.4.0/lib/pkgconfig/tides.pc')).toMatch(
      /^prefix=\$\{pcfiledir\}\/\.\.\/\.\.\n[\s\S]*Libs: -L\$\{libdir\} -ltide\n/,
    );
    expect(textOf(filled.entries, 'tides-1.4.0/lib/pkgconfig/tides.pc')).toBe(
      `prefix=\${pcfiledir}/../..\nVersion: 1.4.0\n`,
    );
  });

  it('writes a launcher for the only program, and a desktop entry', async () => {
    const input = formInput(
      'tar.gz',
      {},
      {
        artifact: {
          helpers: [
            helper('launcher', { set: { TIDE: "it's" } }),
            helper('desktop-entry', { set: { Categories: 'Science;' } }),
          ],
        },
      },
    );

    const { entries } = await planArtifact({ ...input, files: [candidate('libexec/tide', { isExecutable: true })] });

    expect(entries.find(({ path }) => path.endsWith('bin/tides'))?.mode).toBe(0o755);
    expect(textOf(entries, 'tides-1.4.0/bin/tides')).toMatch(
      /export TIDE='it'\\''s'\nexec "\$here"\/libexec\/tide "\$@"\n$/,
    );
    expect(textOf(entries, 'tides-1.4.0/share/applications/tides.desktop')).toBe(
      '[Desktop Entry]\nType=Application\nVersion=1.5\nName=tides\nExec=tides\nTerminal=false\nCategories=Science;\n',
    );
  });

  it.each([
    ['a library', helper('pkg-config'), { a: '' }],
    ['a program', helper('launcher'), { a: '' }],
    ['the program that is named', helper('launcher', { run: 'bin/x' }), { a: '' }],
  ])('are refused without %s', async (_, item, files) => {
    await expect(plan([item], files)).rejects.toMatchObject({ code: 'HELPER_IMPOSSIBLE' });
  });

  it('leave no placeholder of a template open', async () => {
    await expect(
      plan([helper('pkg-config')], { 'tides.pc.in': '@CC@' }, { manifestPath: 'tides.pc.in' }),
    ).rejects.toMatchObject({
      code: 'HELPER_IMPOSSIBLE',
      why: expect.stringContaining('@CC@'),
    });
  });
});

describe('headers', () => {
  it('an ar header is the sixty bytes of deb(5)', () => {
    const header = encodeArHeader('control.tar.gz', 1234, 1_700_000_000);

    expect(header.toString()).toBe('control.tar.gz  1700000000  0     0     100644  1234      `\n');
    expect(decodeArHeader(header)).toEqual({ name: 'control.tar.gz', sizeBytes: 1234 });
    expect(decodeArHeader(Buffer.from('x'.repeat(60)))).toBeNull();
    expect(() => encodeArHeader('a', 10_000_000_000, 0)).toThrow(
      expect.objectContaining({ code: 'FORM_FIELD_TOO_LARGE' }),
    );
  });

  it('a zip header has the time in UTC, sizes before the bytes, and the UTF-8 flag where it is needed', () => {
    // 2026-03-31 23:33:20 UTC: ((46 << 9 | 3 << 5 | 31) << 16) | (23 << 11 | 33 << 5 | 10)
    expect(encodeDosTime(1_775_000_000)).toBe(0x5c7fbc2a);
    const member = {
      path: 'ä',
      type: 'file',
      mode: 0o644,
      method: 8,
      crc32: 1,
      sizeBytes: 5,
      packedBytes: 4,
      offset: 0,
    } as const;
    expect(encodeLocalHeader(member, 1_775_000_000).toString('hex')).toBe(
      '504b0304140000080800' + '2abc7f5c' + '01000000' + '04000000' + '05000000' + '02000000' + 'c3a4',
    );
    expect(() => encodeDosTime(0)).toThrow(expect.objectContaining({ code: 'FORM_FIELD_TOO_LARGE' }));
  });

  it('a tar header is read wherever it begins, and no byte of it may be another', () => {
    const member = {
      path: 'tides/height.txt',
      type: 'file',
      mode: 0o644,
      sizeBytes: 5,
      linkname: '',
      mtime: 1_775_000_000,
    };
    const header = encodeTarHeader(member as Parameters<typeof encodeTarHeader>[0]);
    // The two bytes behind the digits of the checksum say nothing.
    const said = fc.nat(511).filter((byte) => byte !== 154 && byte !== 155);
    fc.assert(
      fc.property(fc.nat(600), said, fc.integer({ min: 1, max: 255 }), (at, byte, flip) => {
        const bytes = Buffer.concat([Buffer.alloc(at, 7), header, Buffer.alloc(9, 7)]);
        expect(decodeTarHeader(bytes, at)).toMatchObject({
          name: member.path,
          sizeBytes: 5,
          mode: 0o644,
          owner: '0:0',
        });
        bytes[at + byte] = (bytes[at + byte] ?? 0) ^ flip;
        expect(() => decodeTarHeader(bytes, at)).toThrow(TarError);
      }),
      { numRuns: 300 },
    );
  });

  it.each([
    ['digits to the end', '00000000644', 0o644],
    ['a NUL behind', '644\0', 0o644],
    ['a space behind', '644 \0', 0o644],
    ['spaces before', '   644 \0', 0o644],
    ['nothing', '\0', 0],
    ['only spaces', '       \0', 0],
  ])('a number of a tar header has %s', (_, text, mode) => {
    const header = Buffer.alloc(512);
    header.write('a');
    header.write(text.slice(-8), 100);
    const sum = header.reduce((all, byte) => all + byte, 8 * 0x20);
    header.write(`${sum.toString(8).padStart(6, '0')}\0 `, 148);
    expect(decodeTarHeader(header)?.mode).toBe(mode);
  });

  it('a tar comment is the one that git reads', () => {
    const header = encodeTarComment(commit, 0);

    expect(header).toHaveLength(1024);
    expect(header.toString('utf8', 512, 564)).toBe(`52 comment=${commit}\n`);
    expect(decodeTarHeader(header.subarray(0, 512))).toMatchObject({ typeflag: 'g', sizeBytes: 52 });
    expect(decodePax(header.subarray(512, 564))).toEqual({ comment: commit });
  });

  it.each([
    ['5 a=\n', { a: '' }],
    ['6 a=b\n5 c=\n', { a: 'b', c: '' }],
  ])('reads the extended header %j', (text, values) => {
    expect(decodePax(Buffer.from(text))).toEqual(values);
  });

  it.each(['4 a\n', '6 a=b', '7 a=b\n', 'x a=b\n', 'a=b\n', '1.5 a=\n'])('refuses the extended header %j', (text) => {
    expect(() => decodePax(Buffer.from(text))).toThrow('malformed');
  });
});

describe('stamping', () => {
  it('writes the macros of a C header that are named after the package', () => {
    const header =
      '#define TIDE_MARK_VERSION "0.0.0"\n#  define TIDE_MARK_VERSION_MAJOR 0 // x\n#define OTHER_VERSION 1\n#define TIDE_MARK_VERSION_ABI 3\n';

    expect(stampHeader(header, 'tide-mark', '1.4.0-rc.1')).toBe(
      '#define TIDE_MARK_VERSION "1.4.0-rc.1"\n#  define TIDE_MARK_VERSION_MAJOR 1 // x\n#define OTHER_VERSION 1\n#define TIDE_MARK_VERSION_ABI 3\n',
    );
  });

  it('follows a rule, and refuses one that finds nothing', () => {
    const rule = { file: 'v.txt', find: '^v = .*$', write: 'v = {version} ({major}, {commit})' };

    expect(stampByRule('a\nv = 0\nb\n', rule, { version: '1.4.0', commit: 'abc' })).toBe('a\nv = 1.4.0 (1, abc)\nb\n');
    expect(() => stampByRule('a\n', rule, { version: '1.4.0', commit: 'abc' })).toThrow(
      expect.objectContaining({ code: 'STAMP_NO_MATCH' }),
    );
  });
});

it.each([
  ['none', artifactConfig('npm-tarball')],
  ['each', artifactConfig('deb')],
  ['each', artifactConfig('tar.gz', { name: '{package}-{platform}.tar.gz' })],
  ['each', artifactConfig('tar.gz', { files: [fileRule('{out}/{platform}')] })],
  ['all', artifactConfig('nupkg', { files: [fileRule('{out}/{platform}', 'runtimes/{platform}')] })],
  ['none', artifactConfig('tar.gz', { files: [fileRule('{out}')] })],
] as const)('is made for %s of the platforms', (use, artifact) => {
  expect(platformUse(artifact, ['linux-x64'])).toBe(use);
  expect(platformUse(artifact, [])).toBe('none');
});
