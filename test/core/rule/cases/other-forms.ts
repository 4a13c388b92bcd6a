import { createHash } from 'node:crypto';
import { type TestFiles, testArtifact, wheelArtifact } from '../../../builders/artifact.ts';
import { classFile, elfFile } from '../../../builders/binary.ts';
import type { BreakingCase, NearlyCase } from './case.ts';

export const info = 'tidemark_py-1.4.0.dist-info';
export const linux = 'tidemark_py-1.4.0-cp311-cp311-manylinux_2_17_x86_64.whl';
export const module = 'tidemark_py/_tide.cpython-311-x86_64-linux-gnu.so';
export const jar = (files: TestFiles, manifest = 'Manifest-Version: 1.0\r\n') =>
  testArtifact('zip', 'tidemark-jvm-1.4.0.jar', { 'META-INF/MANIFEST.MF': `${manifest}\r\n`, ...files });
export const pom = (inner: string) =>
  testArtifact('text', 'tidemark-jvm-1.4.0.pom', {
    'tidemark-jvm-1.4.0.pom': `<project><groupId>example.fenmarsh</groupId><artifactId>tidemark-jvm</artifactId><version>1.4.0</version>${inner}</project>`,
  });
export const wholePom =
  '<name>T</name><description>T</description><url>https://x.example</url><licenses/><developers/><scm/>';
const types =
  '<Types><Default Extension="nuspec" ContentType="a/b"/><Default Extension="dll" ContentType="a/b"/><Default Extension="rels" ContentType="a/b"/><Default Extension="md" ContentType="a/b"/></Types>';
const rels =
  '<Relationships><Relationship Type="http://x.example/manifest" Target="/Fenmarsh.Tides.nuspec" Id="a"/></Relationships>';
/** @param groups XML inside `dependencies`. @param more XML inside `metadata`. */
export const nupkg = (files: TestFiles, groups = '', more = '', name = 'Fenmarsh.Tides.1.4.0.nupkg') =>
  testArtifact('zip', name, {
    '_rels/.rels': rels,
    '[Content_Types].xml': types,
    'Fenmarsh.Tides.nuspec': `<package><metadata><id>Fenmarsh.Tides</id><version>1.4.0</version><readme>README.md</readme><dependencies>${groups}</dependencies>${more}</metadata></package>`,
    'README.md': 'Tides of the estuary, in tables',
    ...files,
  });
const control =
  'Package: libharmonics\nVersion: 1.4.0-1\nArchitecture: amd64\nMaintainer: Harbour desk <harbour@fenmarsh.example>\nDescription: Tides\n Of the estuary.\n';
export const deb = (files: TestFiles, texts: Record<string, string> = {}) =>
  testArtifact('deb', 'libharmonics_1.4.0-1_amd64.deb', files, { control: { control, md5sums: '', ...texts } });
export const library = (options: Parameters<typeof elfFile>[0]) =>
  testArtifact('tar.gz', 'harmonics-1.4.0-linux-x64.tar.gz', {
    'h/lib/libharmonics.so.0': elfFile({ soname: 'libharmonics.so.0', ...options }),
  });

export const signed = `Manifest-Version: 1.0\r\n\r\nName: A.class\r\nSHA-256-Digest: ${createHash('sha256').update('a').digest('base64')}\r\n`;

const digestOf = (text: string) => createHash('sha256').update(text).digest('base64url');
const plainWheel = wheelArtifact('');
const quotedRecord = [
  ...[...plainWheel.texts].flatMap(([path, text]) =>
    path.endsWith('/RECORD') ? [] : [`${path},sha256=${digestOf(text)},${Buffer.byteLength(text)}`],
  ),
  `"tidemark_py/a, b.txt",sha256=${digestOf('x')},`,
  `${info}/RECORD,,`,
].join('\r\n');

/** Wheels, jars, .NET packages, Debian packages and libraries that break a rule of their own. */
export const breaking: readonly BreakingCase[] = [
  ['metadata/repository-missing', nupkg({}), /no link to the source/],
  [
    'python/record-disagrees',
    wheelArtifact('', { [`${info}/RECORD`]: `tidemark_py/__init__.py,sha256=AAAA,3\nold.py,sha256=AA,1\n` }),
    /digest differs[\s\S]*not listed[\s\S]*old\.py|digest differs/,
  ],
  [
    'python/record-disagrees',
    wheelArtifact('', { [`${info}/RECORD`]: 'tidemark_py/__init__.py,md5=AAAA,3\n' }),
    /its md5, which is too weak/,
  ],
  [
    'python/wheel-tag',
    wheelArtifact('', { [`${info}/WHEEL`]: 'Root-Is-Purelib: true\nTag: py2-none-any\n' }),
    /its tags are py2-none-any/,
  ],
  ['python/wheel-tag', wheelArtifact('', { [module]: elfFile({}) }), /allows any platform/],
  ['python/wheel-tag', wheelArtifact('', { [module.replace('311', '310')]: elfFile({}) }, linux), /it is for cp310/],
  ['python/wheel-tag', wheelArtifact('', {}, 'tidemark.whl'), /invalid wheel name/],
  [
    'python/script-unresolved',
    wheelArtifact('', { [`${info}/entry_points.txt`]: '[console_scripts]\ntide = tidemark_py.cli:main\n' }),
    /refers to tidemark_py\.cli/,
  ],
  [
    'python/script-unresolved',
    wheelArtifact('', { [`${info}/entry_points.txt`]: '[console_scripts]\ntide = tidemark_py:main\n' }),
    /does not define main/,
  ],
  [
    'python/undeclared-import',
    wheelArtifact('', { 'tidemark_py/a.py': 'import os, harmonics.table\n' }),
    /line 1 imports harmonics/,
  ],
  [
    'python/stray-module',
    wheelArtifact('', { 'tests/__init__.py': '', 'tests/test_a.py': 'x = 1' }),
    /module named tests/,
  ],
  [
    'python/metadata-incomplete',
    testArtifact('tar.gz', 'tidemark_py-1.4.0.tar.gz', {
      'tidemark_py-1.4.0/PKG-INFO': 'Name: tidemark-py\nVersion: 1.4.0\n',
    }),
    /no Metadata-Version[\s\S]*pyproject/,
  ],
  [
    'metadata/version-invalid',
    wheelArtifact('', { [`${info}/METADATA`]: 'Metadata-Version: 2.4\nName: tidemark-py\nVersion: 2.0.0-early.1\n' }),
    /not a normalised PEP 440 version/,
  ],
  [
    'metadata/classifier-unknown',
    wheelArtifact('Classifier: Programming Language :: Pyton\n'),
    /did you mean "Programming Language :: Python/,
  ],
  ['metadata/classifier-unknown', wheelArtifact('Classifier: License :: OSI Approved :: MIT License\n'), /PEP 639/],
  [
    'metadata/range-impossible',
    wheelArtifact('', {
      [`${info}/METADATA`]: 'Metadata-Version: 2.4\nName: tidemark-py\nVersion: 1.4.0\nRequires-Python: >=3.9,<3\n',
    }),
    /no version of Python/,
  ],
  ['jvm/manifest-unusable', jar({}, 'Created-By: x\r\n'), /does not begin with Manifest-Version/],
  [
    'jvm/manifest-unusable',
    jar({}, 'Manifest-Version: 1.0\r\nMain-Class: example.Main\r\n'),
    /Main-Class is example\.Main/,
  ],
  ['jvm/manifest-unusable', jar({}, 'Manifest-Version: 1.0\r\nAutomatic-Module-Name: 1tide\r\n'), /not a module name/],
  ['jvm/class-version', jar({ 'example/Tide.class': classFile('example/Tide', 17) }), /needs Java 17/, { java: 11 }],
  [
    'jvm/duplicate-class',
    jar({
      'example/Tide.class': classFile('example/Tide', 11),
      'copy/example/Tide.class': classFile('example/Tide', 11),
    }),
    /is in example\/Tide\.class too/,
  ],
  [
    'jvm/duplicate-class',
    jar({ 'classes/example/Tide.class': classFile('example/Tide', 11) }),
    /not found below classes/,
  ],
  ['jvm/signature-left', jar({ 'META-INF/HARBOUR.SF': 'x' }), /no digests for it/],
  ['jvm/signature-left', jar({ 'META-INF/HARBOUR.SF': 'x' }, signed), /half of a signature/],
  ['jvm/signature-left', jar({ 'META-INF/HARBOUR.EC': 'x' }, signed), /half of a signature/],
  ['jvm/signature-left', jar({ 'META-INF/H.SF': 'x', 'META-INF/H.RSA': 'x' }), /no digests for it/],
  ['jvm/pom-incomplete', pom('<name>T</name>'), /no <description>/],
  ['dotnet/framework-folders', nupkg({ 'lib/netstandard/F.dll': 'x' }), /netstandard is not a target framework/],
  ...['net4720', 'net8', 'net5000.0x', 'netstandard3.0', 'netcoreapp4.0', 'xnet8.0', 'net8.0-7'].map(
    (name): BreakingCase => [
      'dotnet/framework-folders',
      nupkg({ [`lib/${name}/F.dll`]: 'x' }),
      /is not a target framework/,
    ],
  ),
  [
    'dotnet/framework-folders',
    nupkg({ 'runtimes/linux-x64/lib/x/F.dll': 'x' }),
    /nothing in runtimes\/linux-x64\/lib\/x/,
  ],
  [
    'dotnet/framework-folders',
    nupkg({ 'lib/net8.0/F.dll': 'x' }, '<group targetFramework="netstandard2.0"/>'),
    /lib\/net8\.0 exists[\s\S]*group for netstandard2\.0/,
  ],
  ['dotnet/part-unlisted', nupkg({ 'runtimes/linux-x64/native/libh.so': 'x' }), /no content type for "so"/],
  ['dotnet/part-unlisted', nupkg({ '_rels/.rels': rels.replace('Fenmarsh', 'Other') }), /does not point to a nuspec/],
  ['dotnet/symbols-disagree', nupkg({ 'lib/net8.0/F.pdb': 'x', 'lib/net8.0/F.dll': 'x' }), /a package of its own/],
  [
    'metadata/readme-missing',
    nupkg({ 'Fenmarsh.Tides.nuspec': '<package><metadata><id>F</id><version>1.4.0</version></metadata></package>' }),
    /names no <readme>/,
  ],
  [
    'native/deb-control',
    deb({}, { control: control.replace(/Maintainer.*\n/, 'Depends: libc6 >= 2.31\n') }),
    /no Maintainer[\s\S]*"libc6 >= 2\.31"/,
  ],
  ['native/deb-control', deb({ 'usr/lib/libh.so.0': elfFile({ machine: 183 }) }), /machine code for linux-arm64/],
  ['native/deb-path', deb({ 'usr/local/lib/h': 'x' }), /not for packages/],
  ['native/deb-path', deb({ 'usr/bin/tide': 'x' }), /not executable/],
  ['native/deb-conffile', deb({ 'etc/tide.conf': 'x' }), /not listed in conffiles/],
  ['native/deb-conffile', deb({}, { conffiles: '/etc/gone.conf\n' }), /lists \/etc\/gone\.conf/],
  ['native/elf-platform', library({ machine: 183 }), /linux-arm64, but the artifact is for linux-x64/],
  ['native/elf-soname', testArtifact('tar.gz', 'h.tar.gz', { 'h/lib/libh.so': elfFile({}) }), /has no soname/],
  ['native/elf-soname', library({ soname: 'libharmonics.so.1' }), /no file with that name/],
  ['native/elf-run-path', library({ runPath: '/home/harbour/lib:$ORIGIN' }), /in \/home\/harbour\/lib/],
  ['native/elf-c-library', library({ cLibrary: '2.34' }), /needs version 2\.34.*limit is 2\.31/, { cLibrary: '2.31' }],
  ['native/elf-c-library', wheelArtifact('', { [module]: elfFile({ cLibrary: '2.28' }) }, linux), /limit is 2\.17/],
  ['native/elf-debug', library({ debug: true }), /debug information/],
  ['native/elf-debug', library({ isExecutableStack: true }), /stack is executable/],
];

/** The same that nearly break one. */
export const nearlyBreaking: readonly NearlyCase[] = [
  ['metadata/repository-missing', nupkg({}, '', '<projectUrl>https://tides.fenmarsh.example/</projectUrl>')],
  [
    'metadata/repository-missing',
    nupkg({}, '', '<repository type="git" url="https://git.fenmarsh.example/tides.git"/>'),
  ],
  // Signatures of RECORD are never in it; a digest and a size may be left out for RECORD itself.
  [
    'python/record-disagrees',
    wheelArtifact('', { 'tidemark_py/a, b.txt': 'x', [`${info}/RECORD.jws`]: 'x', [`${info}/RECORD`]: quotedRecord }),
  ],
  ['python/wheel-tag', wheelArtifact('', {}, 'Tidemark.Py-1.4.0-py3-none-any.whl')],
  ['python/wheel-tag', wheelArtifact('', { [module]: elfFile({}) }, linux)],
  ['python/wheel-tag', wheelArtifact('', { 'tidemark_py/start.exe': Buffer.from('MZ') })],
  [
    'python/script-unresolved',
    wheelArtifact('', {
      'tidemark_py/cli.py': 'from .other import *\n',
      [`${info}/entry_points.txt`]:
        '# x = gone:main\n[console_scripts]\ntide = tidemark_py.cli:main\n[plugins]\nother = gauges:load\n',
    }),
  ],
  [
    'python/undeclared-import',
    wheelArtifact('Requires-Dist: PyYAML\n', { 'tidemark_py/a.py': 'import yaml, os\nfrom tidemark_py import b\n' }),
  ],
  ['python/undeclared-import', wheelArtifact('', { 'tidemark_py/_vendor/six.py': 'import harmonics\n' })],
  ['python/stray-module', wheelArtifact('', { 'tidemark_py/tests/test_a.py': 'x = 1', 'tests/readme.txt': 'x' })],
  [
    'python/metadata-incomplete',
    testArtifact('tar.gz', 'tidemark_py-1.4.0.tar.gz', {
      'tidemark_py-1.4.0/PKG-INFO': `Metadata-Version: 2.5\nName: tidemark-py\nVersion: 1.4.0\nSummary: ${'x'.repeat(512)}\n`,
      'tidemark_py-1.4.0/setup.py': 'x',
    }),
  ],
  ['metadata/classifier-unknown', wheelArtifact('Classifier: Programming Language :: Python :: 3.13\n')],
  [
    'jvm/manifest-unusable',
    jar(
      { 'example/Main.class': classFile('example/Main', 17), 'META-INF/versions/9/notes.txt': 'x' },
      `Manifest-Version: 1.0\r\nMain-Class: example.Main\r\nAutomatic-Module-Name: tide.$1\r\nX: ${'x'.repeat(69)}\r\n`,
    ),
  ],
  ['jvm/class-version', jar({ 'example/Tide.class': classFile('example/Tide', 11) }), { java: 11 }],
  [
    'jvm/class-version',
    jar({
      'META-INF/versions/17/example/Tide.class': classFile('example/Tide', 17),
      'module-info.class': classFile('module-info', 17),
    }),
    { java: 11 },
  ],
  [
    'jvm/duplicate-class',
    jar({
      'example/Tide.class': classFile('example/Tide', 11),
      'META-INF/versions/17/example/Tide.class': classFile('example/Tide', 17),
      'WEB-INF/classes/example/Mark.class': classFile('example/Mark', 11),
    }),
  ],
  ['jvm/signature-left', jar({ 'A.class': 'a', 'META-INF/H.SF': 'x', 'META-INF/H.RSA': 'x' }, signed)],
  ['jvm/signature-left', jar({ 'META-INF/deep/H.SF': 'x', 'META-INF/H.SF.txt': 'x' })],
  ['jvm/pom-incomplete', pom(wholePom)],
  ['jvm/pom-incomplete', pom('<parent><artifactId>p</artifactId></parent>')],
  ['dotnet/framework-folders', nupkg({ 'build/any/F.props': 'x', 'lib/F.dll': 'x' })],
  [
    'dotnet/framework-folders',
    nupkg({ 'lib/netstandard2.0/F.dll': 'x' }, '<group targetFramework=".NETStandard2.0"/>'),
  ],
  ['dotnet/part-unlisted', nupkg({ 'lib/net8.0/F.DLL': 'x', '.signature.p7s': 'x' })],
  ['dotnet/symbols-disagree', nupkg({ 'lib/net8.0/F.dll': 'x', 'lib/net8.0/pdb.md': 'x' })],
  [
    'native/deb-control',
    deb(
      { 'usr/lib/aarch64-linux-gnu/cross/libh.so.0': elfFile({ machine: 183 }) },
      { control: `${control}Depends: libc6 (>= 2.31) | musl:any, perl\n` },
    ),
  ],
  [
    'native/deb-path',
    deb({ 'usr/localised/h': { text: 'x', type: 'folder' }, 'usr/bin/tide': { text: 'x', mode: 0o755 } }),
  ],
  ['native/deb-conffile', deb({ 'usr/etc/tide.conf': 'x', 'etc/a.conf': 'x' }, { conffiles: '/etc/a.conf\n' })],
  ['native/deb-conffile', deb({}, { conffiles: 'remove-on-upgrade /etc/gone.conf\n' })],
  ['native/elf-platform', library({})],
  [
    'native/elf-platform',
    testArtifact('tar.gz', 'harmonics-1.4.0.tar.gz', { 'h/lib/libh.so': elfFile({ machine: 183 }) }),
  ],
  ['native/elf-soname', library({})],
  [
    'native/elf-soname',
    testArtifact('tar.gz', 'h.tar.gz', { 'h/bin/tide.so': elfFile({ interpreter: '/lib/ld.so' }) }),
  ],
  ['native/elf-run-path', library({ runPath: '$ORIGIN:$LIB/../lib:/usr/lib/tide:/opt/tide' })],
  ['native/elf-c-library', library({ cLibrary: '2.31' }), { cLibrary: '2.31' }],
  ['native/elf-c-library', library({ cLibrary: '2.9' }), { cLibrary: '2.31' }],
  ['native/elf-debug', library({})],
  ['native/elf-debug', testArtifact('tar.gz', 'h.tar.gz', { 'h/lib/libh.so.0.debug': elfFile({ debug: true }) })],
];
