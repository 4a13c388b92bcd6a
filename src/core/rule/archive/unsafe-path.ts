import { unsafeReason } from '../../contents/safe-path.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const unsafePath: Rule = {
  id: 'archive/unsafe-path',
  forms: allForms,
  severity: 'refuse',
  what: 'No entry has a path that could be written outside the folder it is unpacked into',
  why: 'Installers differ in how they treat such paths; some follow them and overwrite files of the user',
  fix: 'Give the file a plain relative path',
  example: 'package/../../.profile',
  check: ({ entries }) =>
    entries.flatMap(({ path, type }): RawFinding[] => {
      const reason = unsafeReason(type === 'folder' ? path.replace(/\/$/, '') : path);
      return reason === null ? [] : [{ path, message: reason }];
    }),
};
