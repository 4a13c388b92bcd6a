import { createHash } from 'node:crypto';
import { type TestFiles, testArtifact, wheelArtifact } from '../../../builders/artifact.ts';
import type { BreakingCase, NearlyCase } from './case.ts';
import { deb, jar, pom, wholePom } from './other-forms.ts';

const init = 'tidemark_py/__init__.py';
const copyright = { 'usr/share/doc/libharmonics/copyright': 'MIT\n' };
const archive = (files: TestFiles) =>
  testArtifact('tar.gz', 'tides-1.4.0.tar.gz', { 'tides/readme.txt': 'Tides', ...files });
const sdist = testArtifact('tar.gz', 'tides-1.4.0.tar.gz', {
  'tides-1.4.0/PKG-INFO': 'Metadata-Version: 2.4\nName: tides\nVersion: 1.4.0\n',
});
const dependency = (inner: string) =>
  `<dependencies><dependency><groupId>example.fenmarsh</groupId><artifactId>harmonics</artifactId>${inner}</dependency></dependencies>`;
const property = (name: string) => `$\u007b${name}}`;
const inBase64 = (text: string) => createHash('sha256').update(text).digest('base64');
const signedJar = (digest: string, more: TestFiles = {}) =>
  jar(
    { 'A.class': 'a', 'META-INF/HARBOUR.SF': 'x', 'META-INF/HARBOUR.RSA': 'x', ...more },
    `Manifest-Version: 1.0\r\n\r\nName: A.class\r\nSHA-256-Digest: ${digest}\r\n`,
  );
const link = (linkname: string): TestFiles => ({ ...copyright, 'usr/lib/x': { type: 'symlink', linkname } });

/** Breaks the rule, by this message; nearly the same, which breaks none. */
type Pair = readonly [BreakingCase[0], BreakingCase[1], RegExp, BreakingCase[1]];

const pairs: readonly Pair[] = [
  [
    'python/own-module-absent',
    wheelArtifact('', { [init]: 'from . import _table\n' }),
    /line 1 imports tidemark_py\._table, which is not inside/,
    wheelArtifact('', { [init]: 'from . import _table\n', 'tidemark_py/_table.py': 'x = 1\n' }),
  ],
  [
    'python/own-module-absent',
    wheelArtifact('', { [init]: 'import os\nfrom tidemark_py.table import (\n  heights,\n)\n' }),
    /line 2 imports tidemark_py\.table/,
    wheelArtifact('', {
      [init]: 'from tidemark_py.table import (\n  heights,\n)\n',
      'tidemark_py/table/__init__.py': 'heights = 1\n',
    }),
  ],
  [
    'python/own-module-absent',
    wheelArtifact('', {
      'tidemark_py/a/b.py': 'from ..c.d import e\n',
      'tidemark_py/a/__init__.py': '',
      'tidemark_py/c/__init__.py': '',
    }),
    /imports tidemark_py\.c\.d/,
    wheelArtifact('', {
      'tidemark_py/a/b.py': 'from ..c.d import e\n',
      'tidemark_py/a/__init__.py': '',
      'tidemark_py/c/d.cpython-311-x86_64-linux-gnu.so': 'x',
    }),
  ],
  [
    'python/own-module-absent',
    wheelArtifact('', { 'tidemark_py/a.py': 'import tidemark_py.b\n' }),
    /imports tidemark_py\.b/,
    wheelArtifact('', {
      'tidemark_py/a.py':
        'try:\n    import tidemark_py.b\nexcept ImportError:\n    pass\nfrom . import table\nfrom tidemark_py import __version__\n',
    }),
  ],
  [
    'python/direct-reference',
    wheelArtifact('Requires-Dist: harmonics @ https://files.example/h.whl\n'),
    /an address/,
    wheelArtifact('Requires-Dist: harmonics>=1; extra == "a@b"\n'),
  ],
  [
    'python/private',
    wheelArtifact('Classifier: Private :: Do Not Upload\n'),
    /Private :: Do Not Upload/,
    wheelArtifact('Classifier: Topic :: Security\n'),
  ],
  [
    'python/exact-pin',
    wheelArtifact('Requires-Dist: harmonics (==2.1.4) ; python_version < "4"\n'),
    /requires "harmonics/,
    wheelArtifact('Requires-Dist: harmonics==2.1.*\nRequires-Dist: depth~=1.0\nRequires-Dist: x==1; extra == "test"\n'),
  ],
  [
    'python/no-module',
    testArtifact('zip', 'x-1-py3-none-any.whl', {
      'x-1.dist-info/WHEEL': 'Wheel-Version: 1.0\nTag: py3-none-any\n',
      'x-1.dist-info/METADATA': 'Metadata-Version: 2.4\nName: x\nVersion: 1\nRequires-Dist: y\n',
    }),
    /no module/,
    wheelArtifact('Requires-Dist: harmonics\n'),
  ],
  ['native/deb-copyright', deb({ 'usr/bin/tide': 'x' }), /it is missing/, deb({ 'usr/bin/tide': 'x', ...copyright })],
  [
    'native/deb-copyright',
    deb({ 'usr/share/doc/other/copyright': 'x' }),
    /it is missing/,
    deb({ 'usr/bin/tide': 'x', 'usr/share/doc/libharmonics': { type: 'symlink', linkname: 'harmonics-common' } }),
  ],
  [
    'archive/odd-mode',
    deb({ ...copyright, 'usr/bin/tide': { text: 'x', mode: 0o4755 } }),
    /its owner's rights/,
    deb({ ...copyright, 'usr/bin/tide': { text: 'x', mode: 0o755 }, 'var/mail/': { type: 'folder', mode: 0o2775 } }),
  ],
  ['archive/leaving-link', deb(link('../../../../etc/passwd')), /no package owns/, deb(link('../../etc/passwd'))],
  ['archive/leaving-link', deb(link('/home/harbour/lib.so')), /no package owns/, deb(link('libharmonics.so.1'))],
  [
    'contents/empty',
    deb(copyright),
    /only files that accompany/,
    deb(copyright, { control: 'Package: libharmonics\nVersion: 1.4.0-1\nRecommends: depth\n' }),
  ],
  [
    'jvm/pom-unresolved',
    pom(wholePom + dependency(`<version>${property('harmonics.version')}</version>`)),
    /names the property harmonics\.version/,
    pom(
      `<properties><harmonics.version>1</harmonics.version></properties>${wholePom}${dependency(`<version>${property('harmonics.version')}</version>`)}`,
    ),
  ],
  [
    'jvm/pom-unresolved',
    pom(wholePom + dependency('<version>1</version><scope>system</scope>')),
    /scope "system"/,
    pom(wholePom + dependency(`<version>${property('project.version')}</version><scope>provided</scope>`)),
  ],
  ['jvm/signature-left', signedJar(inBase64('b')), /changed after the jar was signed/, signedJar(inBase64('a'))],
  [
    'jvm/signature-left',
    signedJar(inBase64('a'), { 'B.class': 'b' }),
    /added after the jar was signed/,
    signedJar(inBase64('a'), { 'META-INF/LICENSE': 'b' }),
  ],
  [
    'jvm/manifest-unusable',
    jar({}, `Manifest-Version: 1.0\r\nClass-Path: ${'a'.repeat(90)}\r\n`),
    /a line has 102 bytes, and 72 are allowed/,
    jar({}, `Manifest-Version: 1.0\r\nClass-Path: ${'a'.repeat(60)}\r\n ${'a'.repeat(60)}\r\n`),
  ],
  [
    'contents/local-dependency',
    archive({ 'tides/go.mod': 'module code.example/tides\n\nreplace code.example/depth v1.2.3 => ../depth\n' }),
    /replaces code\.example\/depth by the folder \.\.\/depth/,
    archive({
      'tides/go.mod': 'module code.example/tides\n\nreplace code.example/depth => code.example/fork v1.2.4\n',
    }),
  ],
  [
    'contents/local-dependency',
    archive({ 'tides/go.mod': 'module code.example/tides\n\nreplace (\n\tcode.example/depth => ./depth\n)\n' }),
    /by the folder \.\/depth/,
    archive({ 'tides/go.mod': 'module code.example/tides\n\nrequire code.example/depth v1.2.3\n' }),
  ],
  [
    'contents/local-dependency',
    archive({ 'tides/Cargo.toml': '[package]\nname = "tides"\n[dependencies]\ndepth = { path = "../depth" }\n' }),
    /depends on depth in the folder \.\.\/depth/,
    archive({
      'tides/Cargo.toml': '[package]\nname = "tides"\n[dependencies]\ndepth = { path = "depth" }\n',
      'tides/depth/Cargo.toml': '[package]\nname = "depth"\n',
    }),
  ],
  [
    'contents/test-file',
    wheelArtifact('', { 'tests/test_table.py': 'x = 1\n' }),
    /looks like a test/,
    wheelArtifact('', { 'tidemark_py/attest.py': 'x = 1\n' }),
  ],
];

/** Packages of other ecosystems that break a rule of theirs. */
export const breaking: readonly BreakingCase[] = [
  ...pairs.map(([rule, artifact, message]): BreakingCase => [rule, artifact, message]),
  ['python/source-only', sdist, /no wheel beside it/, { beside: ['sdist'] }],
];

/** Nearly the same ones that break none. */
export const nearlyBreaking: readonly NearlyCase[] = [
  ...pairs.map(([rule, , , artifact]): NearlyCase => [rule, artifact]),
  ['python/source-only', sdist, { beside: ['sdist', 'wheel'] }],
];
