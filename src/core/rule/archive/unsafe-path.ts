import { linkLeaves, unsafeReason } from '../../contents/safe-path.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const unsafePath: Rule = {
  id: 'archive/unsafe-path',
  severity: 'refuse',
  what: 'No entry has a path that could be written outside the folder it is unpacked into',
  why: 'Installers differ in how they treat such paths; some follow them and overwrite files of the user',
  fix: 'Give the file a plain relative path; ship a copy instead of a link that leaves',
  example: 'package/../../.profile',
  check: ({ entries }) =>
    entries.flatMap(({ path, type, linkname }): RawFinding[] => {
      const reason = unsafeReason(type === 'folder' ? path.replace(/\/$/, '') : path);
      if (reason !== null) return [{ path, message: reason }];
      if (type === 'special') return [{ path, message: 'it is neither file, folder nor link' }];
      if (linkname === null || !linkLeaves(path, linkname, type === 'hardlink')) return [];
      return [{ path, message: `it is a link that leaves, to ${linkname}` }];
    }),
};
