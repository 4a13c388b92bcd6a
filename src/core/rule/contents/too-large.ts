import { formatBytes } from '../../text/bytes.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const tooLarge: Rule = {
  id: 'contents/too-large',
  forms: allForms,
  severity: 'refuse',
  what: 'The artifact is no larger than `verify.largest`',
  why: 'A sudden growth is most often something that slipped in',
  fix: 'Look at the largest entries with `bevelstone inspect FILE`, leave out what does not belong, or raise the limit',
  example: 'largest: 200 kB and an artifact of 14 MB',
  check: ({ sizeBytes, entries }, { largest }) => {
    if (largest === null || sizeBytes <= largest) return [];
    const top = [...entries].sort((a, b) => b.sizeBytes - a.sizeBytes)[0];
    const hint = top === undefined ? '' : `; its largest entry is ${top.path} with ${formatBytes(top.sizeBytes)}`;
    return [{ path: null, message: `it has ${formatBytes(sizeBytes)}, the limit is ${formatBytes(largest)}${hint}` }];
  },
};
