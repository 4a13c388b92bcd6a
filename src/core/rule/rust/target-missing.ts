import { filesIn, insidePath } from '../../form/artifact.ts';
import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { crateManifest } from './crate-manifest.ts';

export const targetMissing: Rule = {
  id: 'rust/target-missing',
  forms: ['crate'],
  severity: 'refuse',
  what: 'The source files of a crate that its manifest names, and one of a library or program, are inside',
  why: 'Without them the crate does not build for anyone, although it builds in its repository',
  fix: 'Commit the file, and check `include` and `exclude` in Cargo.toml',
  example: 'build = "build.rs", which `include` does not list',
  check: (artifact) => {
    const { path, manifest } = crateManifest(artifact);
    const inside = new Set(filesIn(artifact).map((entry) => insidePath(entry.path, artifact.prefix)));
    const named = [
      ...[objectOf(manifest['lib'])].map((target) => ({ what: 'the library', file: textOf(target['path']) })),
      ...objectsOf(manifest['bin']).map((target) => ({
        what: `the program ${String(target['name'] ?? '')}`.trim(),
        file: textOf(target['path']),
      })),
      { what: 'the build script', file: textOf(objectOf(manifest['package'])['build']) },
    ];
    const missing = named.flatMap(({ what, file }): RawFinding[] =>
      file === null || inside.has(file.replace(/^\.\//, '')) ? [] : [{ path, message: `${file}, ${what}, is missing` }],
    );
    const hasTarget =
      named.slice(0, -1).some(({ file }) => file !== null) ||
      [...inside].some((file) => /^src\/(?:lib|main)\.rs$|^src\/bin\//.test(file));
    return hasTarget ? missing : [...missing, { path: null, message: 'there is neither src/lib.rs nor src/main.rs' }];
  },
};
