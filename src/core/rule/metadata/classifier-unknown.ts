import { shownText } from '../../manifest/fields.ts';
import { isClassifier, knownClassifiers } from '../../surface/trove-classifiers.ts';
import { countEdits, nearest } from '../../text/nearest.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const classifierUnknown: Rule = {
  id: 'metadata/classifier-unknown',
  forms: ['wheel', 'sdist'],
  severity: 'refuse',
  what: 'Every trove classifier is in the official list, and none contradicts the licence field',
  why: 'An index rejects the whole upload because of one unknown classifier',
  fix: 'Use one from the list; `Private ::` prevents accidental uploads',
  example: 'Classifier: Programming Language :: Pyton',
  check: ({ manifest }) => {
    if (manifest === null) return [];
    const { path, json } = manifest;
    return [json['Classifier'] ?? []].flat().flatMap((item): RawFinding[] => {
      const text = shownText(item);
      // PEP 639, "Deprecate license classifiers".
      if (text.startsWith('License ::') && json['License-Expression'] !== undefined) {
        const message = `"${text}" stands beside License-Expression, which PEP 639 does not allow`;
        return [{ path, message, severity: 'warn' }];
      }
      if (isClassifier(text)) return [];
      const near = nearest(text, knownClassifiers());
      const message = `there is no classifier "${text}"`;
      // The list grows: only what is nearly one of it is a slip for certain.
      if (near === null || countEdits(text, near) > 2) return [{ path, message, severity: 'warn' }];
      return [{ path, message: `${message}; did you mean "${near}"?` }];
    });
  },
};
