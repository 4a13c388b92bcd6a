import { type TestFiles, testArtifact } from '../../../builders/artifact.ts';
import type { BreakingCase, NearlyCase } from './case.ts';

const top = 'harmonics-2.1.4/';
const head = '[package]\nname = "harmonics"\nversion = "2.1.4"\ndescription = "Tides"\nlicense = "MIT"\n';
const crate = (manifest: string, files: TestFiles = {}) =>
  testArtifact('tar.gz', 'harmonics-2.1.4.crate', {
    [`${top}Cargo.toml`]: head + manifest,
    [`${top}Cargo.toml.orig`]: head,
    [`${top}src/lib.rs`]: 'pub fn tide() {}\n',
    ...files,
  });

const path = 'fenmarsh.example/tides';
const folder = `${path}@v1.4.0/`;
const moduleOf = (goMod: string, files: TestFiles = {}, at = folder) =>
  testArtifact('zip', 'tides-v1.4.0.zip', { [`${at}go.mod`]: goMod, [`${at}tides.go`]: 'package tides\n', ...files });
const good = `module ${path}\n\ngo 1.19\n`;
const sized = (sizeBytes: number) => ({ text: 'x', sizeBytes });

/** Breaks the rule, by this message; nearly the same, which breaks none. */
type Pair = readonly [BreakingCase[0], BreakingCase[1], RegExp, BreakingCase[1]];

const need = (value: string, table = 'dependencies') => crate(`\n[${table}]\nrings = ${value}\n`);

const pairs: readonly Pair[] = [
  [
    'rust/feature-unknown',
    crate('[features]\nfull = ["tables"]\n'),
    /full turns on tables/,
    crate('[features]\nfull = ["tables"]\ntables = []\n'),
  ],
  [
    'rust/feature-unknown',
    crate('[dependencies]\nrings = "1"\n[features]\nfull = ["dep:rings"]\n'),
    /turns on dep:rings/,
    crate(
      '[dependencies]\nrings = { version = "1", optional = true }\n[features]\nfull = ["dep:rings", "rings?/fast"]\n',
    ),
  ],
  [
    'rust/lockfile-missing',
    crate('', { [`${top}src/main.rs`]: 'fn main() {}' }),
    /no Cargo\.lock/,
    crate('', { [`${top}src/main.rs`]: 'fn main() {}', [`${top}Cargo.lock`]: 'version = 4\n' }),
  ],
  [
    'rust/registry-limits',
    crate('keywords = ["a", "b", "c", "d", "e", "f"]\n'),
    /6 keywords, and at most 5/,
    crate('keywords = ["a", "b", "c", "d", "e"]\n'),
  ],
  [
    'rust/registry-limits',
    crate('keywords = ["two words"]\n'),
    /"two words" is none/,
    crate('keywords = ["two-words"]\n'),
  ],
  [
    'rust/registry-limits',
    crate('', { [`${top}tables.bin`]: sized(11 << 20) }),
    /at most 10485760/,
    crate('', { [`${top}tables.bin`]: sized(9 << 20) }),
  ],
  [
    'rust/target-missing',
    crate('build = "build.rs"\n'),
    /build\.rs, the build script/,
    crate('build = "build.rs"\n', { [`${top}build.rs`]: 'fn main() {}' }),
  ],
  [
    'rust/target-missing',
    crate('[[bin]]\nname = "table"\npath = "tools/table.rs"\n'),
    /tools\/table\.rs, the program table/,
    crate('[[bin]]\nname = "table"\npath = "tools/table.rs"\n', { [`${top}tools/table.rs`]: 'fn main() {}' }),
  ],
  [
    'rust/target-missing',
    testArtifact('tar.gz', 'harmonics-2.1.4.crate', { [`${top}Cargo.toml`]: head, [`${top}README.md`]: 'x' }),
    /neither src\/lib\.rs nor/,
    crate(''),
  ],
  [
    'rust/top-folder',
    testArtifact('tar.gz', 'harmonics-2.1.4.crate', { 'harmonics/Cargo.toml': head, 'harmonics/src/lib.rs': 'x' }),
    /not below harmonics-2\.1\.4\//,
    crate(''),
  ],
  [
    'rust/unpublishable-dependency',
    need('{ path = "../rings" }'),
    /rings comes from a folder/,
    need('{ version = "1.2" }'),
  ],
  [
    'rust/unpublishable-dependency',
    need('{ git = "https://git.fenmarsh.example/rings" }'),
    /git repository/,
    need('"1.2"'),
  ],
  [
    'rust/unpublishable-dependency',
    need('{ workspace = true }', 'target.x86_64.dependencies'),
    /a workspace/,
    need('"1"', 'target.x86_64.dependencies'),
  ],
  [
    'rust/unpublishable-dependency',
    crate('edition.workspace = true\n'),
    /`edition` of the package/,
    crate('edition = "2021"\n'),
  ],
  ['rust/wildcard-requirement', need('"*"'), /any version of rings/, need('"*"', 'dev-dependencies')],
  [
    'go/file-name',
    moduleOf(good, { [`${folder}aux.go`]: 'package tides' }),
    /"aux\.go" is a name that Windows keeps/,
    moduleOf(good, { [`${folder}auxiliary.go`]: 'package tides' }),
  ],
  [
    'go/file-name',
    moduleOf(good, { [`${folder}a:b`]: 'x' }),
    /character that some system/,
    moduleOf(good, { [`${folder}höhe und zeit.txt`]: 'x' }),
  ],
  [
    'go/file-name',
    moduleOf(good, { [`${folder}Tides.go`]: 'package tides' }),
    /differs from Tides\.go|differs from tides\.go/,
    moduleOf(good, { [`${folder}heights.go`]: 'package tides' }),
  ],
  [
    'go/language-version-missing',
    moduleOf(`module ${path}\n`),
    /no `go` line/,
    moduleOf(`module ${path}\ngo 1.19 // since the survey\n`),
  ],
  [
    'go/major-suffix',
    moduleOf(`module ${path}\n`, {}, `${path}@v2.0.0/`),
    /ends in \/v2/,
    moduleOf(`module ${path}/v2\n`, {}, `${path}/v2@v2.0.0/`),
  ],
  ['go/major-suffix', moduleOf(`module ${path}/v3\n`, {}, `${path}/v3@v1.4.0/`), /no such suffix/, moduleOf(good)],
  [
    'go/not-of-module',
    moduleOf(good, { [`${folder}tools/go.mod`]: 'module x.example/y' }),
    /another module/,
    moduleOf(good, { [`${folder}tools/go.mod.txt`]: 'x' }),
  ],
  [
    'go/not-of-module',
    moduleOf(good, { [`${folder}vendor/a.example/b/b.go`]: 'package b' }),
    /vendored/,
    moduleOf(good, { [`${folder}vendor/modules.txt`]: 'x' }),
  ],
  [
    'go/not-of-module',
    moduleOf(good, { [`${folder}link`]: { type: 'symlink', linkname: 'tides.go' } }),
    /no plain file/,
    moduleOf(good),
  ],
  [
    'go/replaced',
    moduleOf(`${good}replace x.example/y => ../y\n`),
    /by the folder \.\.\/y/,
    moduleOf(`${good}// replace x.example/y => ../y\n`),
  ],
  [
    'go/replaced',
    moduleOf(`${good}replace (\n\tx.example/y v1.0.0 => z.example/y v1.2.0\n)\n`),
    /its users get x\.example\/y/,
    moduleOf(`${good}require (\n\tx.example/y v1.0.0\n)\n`),
  ],
  [
    'go/retracts-itself',
    moduleOf(`${good}retract [v1.0.0, v1.4.0] // wrong tides\n`),
    /retracts v1\.4\.0/,
    moduleOf(`${good}retract [v1.0.0, v1.3.9]\n`),
  ],
  [
    'go/retracts-itself',
    moduleOf(`${good}retract (\n\tv1.3.0\n\tv1.4.0\n)\n`),
    /its own version/,
    moduleOf(`${good}retract v1.3.0\n`),
  ],
  [
    'go/size-limit',
    moduleOf(good, { [`${folder}tables.bin`]: sized(501 << 20) }),
    /at most 524288000/,
    moduleOf(good, { [`${folder}tables.bin`]: sized(499 << 20) }),
  ],
  [
    'go/size-limit',
    moduleOf(good, { [`${folder}LICENSE`]: sized(17 << 20) }),
    /at most 16777216/,
    moduleOf(good, { [`${folder}NOTICE`]: sized(17 << 20) }),
  ],
  [
    'go/top-folder',
    moduleOf(good, { 'fenmarsh.example/other@v1.4.0/x.go': 'package x' }),
    /not below fenmarsh\.example\/tides@v1\.4\.0\//,
    moduleOf(good),
  ],
  [
    'go/top-folder',
    moduleOf('module fenmarsh.example/other\n'),
    /says module fenmarsh\.example\/other/,
    moduleOf(`module "${path}"\n`),
  ],
  ['go/top-folder', moduleOf('go 1.19\n'), /no `module` line/, moduleOf(good)],
];

export const breaking: readonly BreakingCase[] = pairs.map(([rule, broken, message]) => [rule, broken, message]);
export const nearlyBreaking: readonly NearlyCase[] = pairs.map(([rule, , , nearly]) => [rule, nearly]);
