import { unsafeReason } from '../../contents/safe-path.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const unsafePath: Rule = {
  id: 'archive/unsafe-path',
  forms: allForms,
  severity: 'refuse',
  what: 'No entry can be unpacked outside the target folder',
  why: "Some installers follow such paths and overwrite the user's files",
  fix: 'Use a plain relative path',
  example: 'package/../../.profile',
  check: ({ entries }) =>
    entries.flatMap(({ path, type }): RawFinding[] => {
      const reason = unsafeReason(type === 'folder' ? path.replace(/\/$/, '') : path);
      return reason === null ? [] : [{ path, message: reason }];
    }),
};
