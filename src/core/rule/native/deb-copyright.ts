import { filesIn } from '../../form/artifact.ts';
import { textOf } from '../../manifest/fields.ts';
import type { Rule } from '../rule.ts';

export const debCopyright: Rule = {
  id: 'native/deb-copyright',
  forms: ['deb'],
  severity: 'refuse',
  what: 'A Debian package contains its copyright file',
  why: 'Archives reject a package without one, and those who install it do not learn its licence (Debian Policy §12.5)',
  fix: 'Add the file as usr/share/doc/PACKAGE/copyright, with a `files` rule',
  example: 'no usr/share/doc/libtidemark1/copyright',
  check: ({ manifest, entries, ...artifact }) => {
    const name = textOf(manifest?.json['Package'] ?? null);
    if (
      name === null ||
      filesIn({ entries, ...artifact }).some(({ path }) => path === `usr/share/doc/${name}/copyright`)
    )
      return [];
    // A folder of documentation may be a link to that of a package from the same source; a file may be one too.
    const isLinked = entries.some(
      ({ path, type }) =>
        type === 'symlink' && [`usr/share/doc/${name}`, `usr/share/doc/${name}/copyright`].includes(path),
    );
    return isLinked ? [] : [{ path: `usr/share/doc/${name}/copyright`, message: 'it is missing' }];
  },
};
