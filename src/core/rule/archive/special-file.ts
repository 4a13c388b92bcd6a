import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const specialFile: Rule = {
  id: 'archive/special-file',
  forms: allForms,
  severity: 'refuse',
  what: 'Everything inside is a file, a folder or a link',
  why: 'Devices and pipes hang or endanger whoever unpacks them, and no library needs one',
  fix: 'Leave it out',
  example: 'a named pipe run/gauge.fifo',
  check: ({ entries }) =>
    entries
      .filter(({ type }) => type === 'special')
      .map(({ path }) => ({ path, message: 'it is neither file, folder nor link' })),
};
