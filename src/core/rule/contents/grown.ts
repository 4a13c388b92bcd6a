import { formatBytes } from '../../text/bytes.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const grown: Rule = {
  id: 'contents/grown',
  forms: allForms,
  severity: 'warn',
  needsWhole: true,
  what: 'The artifact has not grown, or shrunk, far beyond the last release',
  why: 'A sudden change of size usually means an accidental file or a lost target',
  fix: 'Compare with `bevelstone inspect FILE --against last`; raise `verify.growth` if the change is intended',
  example: '48 kB in 1.3.2 and 410 kB in 1.4.0',
  check: ({ sizeBytes }, { last, growth }) => {
    if (last === null || growth === null || last.sizeBytes === 0) return [];
    const ratio = sizeBytes / last.sizeBytes;
    // Below a few kilobytes a new readme is a large part of everything.
    if (Math.abs(sizeBytes - last.sizeBytes) < 4096 || (ratio <= growth && ratio >= 1 / (growth * 2))) return [];
    const change = `${formatBytes(last.sizeBytes)} in ${last.version} and ${formatBytes(sizeBytes)} now`;
    return [{ path: null, message: `it has ${ratio > 1 ? 'grown' : 'shrunk'}: ${change}` }];
  },
};
