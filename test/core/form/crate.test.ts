import { parse } from 'smol-toml';
import { describe, expect, it } from 'vitest';
import { crate } from '../../../src/core/form/crate/crate.ts';
import { lockfileFor } from '../../../src/core/form/crate/lockfile.ts';
import type { FormInput } from '../../../src/core/form/layout.ts';
import { planArtifact } from '../../../src/core/form/plan-artifact.ts';
import { formInput, pathsOf, textOf } from '../../builders/form-input.ts';

const head = '[package]\nname = "rings"\nversion = "0.0.0"\nlicense = "MIT"\ndescription = "Rings"\n';
const folder = 'crates/rings';

type Extra = Partial<Omit<FormInput, 'artifact'>> & { readonly above?: Readonly<Record<string, string>> };

/** A crate in a workspace: its own files, and those of the repository above. */
function inputOf(manifest: string, files: Readonly<Record<string, string>> = {}, { above = {}, ...more }: Extra = {}) {
  const own = { 'Cargo.toml': manifest, 'src/lib.rs': 'pub fn ring() {}\n', ...files };
  const all: Readonly<Record<string, string>> = {
    ...above,
    ...Object.fromEntries(Object.entries(own).map(([path, text]) => [`${folder}/${path}`, text])),
  };
  return formInput('crate', own, {
    folder,
    readAbove: async (path) => all[path] ?? null,
    packageName: 'rings',
    ...more,
  });
}

async function manifestOf(input: FormInput): Promise<Record<string, unknown>> {
  const { entries } = await planArtifact(input);
  return parse(textOf(entries, 'rings-1.4.0/Cargo.toml')) as Record<string, unknown>;
}

describe('the files of a crate', () => {
  it('are those at the commit, a new manifest, the old one, and the commit', async () => {
    const input = inputOf(head, { 'README.md': '# Rings', 'Cargo.lock': 'version = 4\n', 'target/x': 'x' });
    const plan = await planArtifact({
      ...input,
      tracked: { has: (path) => path !== 'target/x' },
    });

    expect(plan.fileName).toBe('rings-1.4.0.crate');
    expect(pathsOf(plan)).toEqual(
      ['.cargo_vcs_info.json', 'Cargo.toml', 'Cargo.toml.orig', 'README.md', 'src/lib.rs'].map(
        (path) => `rings-1.4.0/${path}`,
      ),
    );
    expect(textOf(plan.entries, 'rings-1.4.0/Cargo.toml.orig')).toBe(head);
    expect(JSON.parse(textOf(plan.entries, 'rings-1.4.0/.cargo_vcs_info.json'))).toEqual({
      git: { sha1: input.commit },
      path_in_vcs: folder,
    });
  });

  it.each([
    ['exclude', 'exclude = ["/data", "*.bin"]', ['data/a', 'src/x.bin'], ['notes/data']],
    ['include', 'include = ["/src", "/notes"]', ['data/a'], ['notes/data']],
    ['include with an exception', 'include = ["/src", "/data/*", "!/data/b"]', ['data/b', 'notes/data'], ['data/a']],
    ['a package inside', '', ['inner/Cargo.toml', 'inner/src/lib.rs'], ['data/a']],
  ])('%s says which', async (_, field, out, inside) => {
    const files = Object.fromEntries(
      ['data/a', 'data/b', 'src/x.bin', 'notes/data', 'inner/Cargo.toml', 'inner/src/lib.rs'].map((path) => [
        path,
        'x',
      ]),
    );
    const paths = pathsOf(await planArtifact(inputOf(`${head}${field}\n`, files)));

    for (const path of out) expect(paths).not.toContain(`rings-1.4.0/${path}`);
    for (const path of inside) expect(paths).toContain(`rings-1.4.0/${path}`);
  });

  it('come from folders above where the manifest says so', async () => {
    const above = { 'README.md': '# Tides', LICENSE: 'MIT License' };
    const input = inputOf(`${head}readme = "../../README.md"\nlicense-file = "../../LICENSE"\n`, {}, { above });
    const { entries } = await planArtifact(input);

    expect(textOf(entries, 'rings-1.4.0/README.md')).toBe('# Tides');
    expect(textOf(entries, 'rings-1.4.0/LICENSE')).toBe('MIT License');
    expect(await manifestOf(input)).toMatchObject({ package: { readme: 'README.md', 'license-file': 'LICENSE' } });
  });

  it('are missing where the manifest names one that is not there', async () => {
    await expect(planArtifact(inputOf(`${head}license-file = "../../COPYING"\n`))).rejects.toMatchObject({
      code: 'CONTENTS_NO_MATCH',
    });
  });

  it('have a lockfile only where there is a program', async () => {
    const lock = 'version = 4\n\n[[package]]\nname = "rings"\nversion = "0.0.0"\n';
    const withProgram = inputOf(head, { 'src/main.rs': 'fn main() {}' }, { above: { 'Cargo.lock': lock } });

    expect(textOf((await planArtifact(withProgram)).entries, 'rings-1.4.0/Cargo.lock')).toContain('version = "1.4.0"');
    expect(pathsOf(await planArtifact(inputOf(head, {}, { above: { 'Cargo.lock': lock } })))).not.toContain(
      'rings-1.4.0/Cargo.lock',
    );
  });
});

describe('the manifest of a crate', () => {
  const workspace = `[workspace]
members = ["crates/*"]
[workspace.package]
edition = "2021"
authors = ["Tide Office"]
readme = "README.md"
[workspace.dependencies]
harmonics = { version = "2.1", features = ["fast"], default-features = false }
lunar = { path = "crates/lunar", version = "0.3" }
plain = "1"
[workspace.lints.rust]
unsafe_code = "forbid"
`;
  const above = { 'Cargo.toml': workspace, 'README.md': '# Tides' };

  it('takes from the workspace what it inherits', async () => {
    const input = inputOf(
      `${head}edition.workspace = true\nauthors.workspace = true\nreadme.workspace = true\n[dependencies]\nharmonics = { workspace = true, features = ["deep"], optional = true }\nlunar.workspace = true\nplain.workspace = true\n[lints]\nworkspace = true\n`,
      {},
      { above },
    );

    expect(await manifestOf(input)).toEqual({
      package: {
        name: 'rings',
        version: '1.4.0',
        license: 'MIT',
        description: 'Rings',
        edition: '2021',
        authors: ['Tide Office'],
        readme: 'README.md',
      },
      dependencies: {
        harmonics: { version: '2.1', 'default-features': false, optional: true, features: ['fast', 'deep'] },
        lunar: { version: '0.3' },
        plain: { version: '1' },
      },
      lints: { rust: { unsafe_code: 'forbid' } },
    });
  });

  it('keeps nothing of the workspace that it is the root of', async () => {
    const manifest = await manifestOf(
      inputOf(
        `${head}[workspace]\nmembers = ["x"]\n[patch.x]\ny = "1"\n[features]\nfull = []\n[profile.release]\nlto = true\n`,
      ),
    );

    expect(Object.keys(manifest).sort()).toEqual(['features', 'package', 'profile']);
  });

  it.each([
    ['a folder alone', 'lunar = { path = "../lunar" }', /could not get lunar/],
    ['a git repository alone', 'lunar = { git = "https://git.fenmarsh.example/lunar" }', /could not get lunar/],
    ['an unknown registry', 'lunar = { version = "1", registry = "harbour" }', /could not get lunar/],
    ['a workspace without it', 'lunar = { workspace = true }', /takes dependencies\.lunar from its workspace/],
  ])('is refused for a need from %s', async (_, need, message) => {
    for (const table of ['dependencies', 'build-dependencies', "target.'cfg(unix)'.dependencies"])
      await expect(planArtifact(inputOf(`${head}[${table}]\n${need}\n`)), table).rejects.toMatchObject({
        code: 'CRATE_NEEDS',
        message: expect.stringMatching(message),
      });
  });

  it('leaves out development dependencies without a version, and keeps the others', async () => {
    const manifest = await manifestOf(
      inputOf(`${head}[dev-dependencies]\nlunar = { path = "../lunar" }\nplain = "1"\n`),
    );

    expect(manifest).toMatchObject({ 'dev-dependencies': { plain: '1' } });
    expect(manifest['dev-dependencies']).not.toHaveProperty('lunar');
  });

  it('names a registry by the address of its index', async () => {
    const config = '[registries.harbour]\nindex = "sparse+https://crates.fenmarsh.example/"\n';
    const input = inputOf(
      `${head}[dependencies]\nlunar = { version = "1", registry = "harbour", path = "../lunar" }\n`,
      {},
      { above: { '.cargo/config.toml': config } },
    );

    expect(await manifestOf(input)).toMatchObject({
      dependencies: { lunar: { version: '1', 'registry-index': 'sparse+https://crates.fenmarsh.example/' } },
    });
  });

  it('is not laid out from a manifest that cannot be read', async () => {
    await expect(crate.select(inputOf('[package\n'))).rejects.toMatchObject({ code: 'MANIFEST_INVALID' });
  });
});

describe('the lockfile of one package', () => {
  const source = 'sparse+https://crates.fenmarsh.example/';
  const packages = [
    { name: 'rings', version: '0.0.0', dependencies: ['lines 1.0.0', 'words'] },
    { name: 'other', version: '0.0.0', dependencies: ['lines 2.0.0'] },
    { name: 'lines', version: '1.0.0', source, checksum: 'a'.repeat(64) },
    { name: 'lines', version: '2.0.0', source, checksum: 'b'.repeat(64), dependencies: ['words'] },
    { name: 'words', version: '0.3.0', source, checksum: 'c'.repeat(64) },
  ];

  it('has what the package needs and nothing else', () => {
    const text = lockfileFor({ version: 4, package: packages }, { name: 'rings', version: '1.4.0' }) ?? '';
    const found = parse(text)['package'] as { name: string; version: string }[];

    expect(found.map(({ name, version }) => `${name} ${version}`)).toEqual([
      'rings 1.4.0',
      'lines 1.0.0',
      'words 0.3.0',
    ]);
  });

  it.each([
    ['the package is not in it', { name: 'gone', version: '1.0.0' }],
    ['a need is a package of the workspace', { name: 'user', version: '1.0.0' }],
    ['a need is missing', { name: 'lost', version: '1.0.0' }],
  ])('cannot be had where %s', (_, wanted) => {
    const all = [
      ...packages,
      { name: 'user', version: '0.0.0', dependencies: ['rings'] },
      { name: 'lost', version: '0.0.0', dependencies: ['nowhere'] },
    ];
    expect(lockfileFor({ version: 4, package: all }, wanted)).toBeNull();
  });
});
