import { objectOf, textOf } from '../../manifest/fields.ts';
import type { Rule } from '../rule.ts';
import { crateManifest } from './crate-manifest.ts';

export const crateTopFolder: Rule = {
  id: 'rust/top-folder',
  forms: ['crate'],
  severity: 'refuse',
  what: 'Everything in a crate lies below one folder with its name and version',
  why: 'Cargo refuses to unpack a crate with an entry elsewhere',
  fix: 'Build the crate with `form: crate`, or name the folder NAME-VERSION',
  example: 'harmonics/src/lib.rs in harmonics-2.1.4.crate',
  check: (artifact) => {
    const crate = objectOf(crateManifest(artifact).manifest['package']);
    const [name, version] = [textOf(crate['name']), textOf(crate['version'])];
    if (name === null || version === null) return [];
    const folder = `${name}-${version}/`;
    const outside = artifact.entries.find(({ path }) => !path.startsWith(folder));
    return outside === undefined ? [] : [{ path: outside.path, message: `it is not below ${folder}` }];
  },
};
