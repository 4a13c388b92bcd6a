import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const specialFile: Rule = {
  id: 'archive/special-file',
  forms: allForms,
  severity: 'refuse',
  what: 'All entries are files, folders or links',
  why: 'Devices and pipes can block or harm the machine that unpacks them',
  fix: 'Leave it out',
  example: 'a named pipe run/gauge.fifo',
  check: ({ entries }) =>
    entries
      .filter(({ type }) => type === 'special')
      .map(({ path }) => ({ path, message: 'it is not a file, folder or link' })),
};
