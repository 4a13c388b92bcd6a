import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const rangeImpossible: Rule = {
  id: 'metadata/range-impossible',
  forms: allForms,
  severity: 'refuse',
  what: 'Version ranges of interpreters and dependencies are valid and can be satisfied',
  why: 'A package that requires an impossible version cannot be installed',
  fix: 'Correct the range',
  example: '"engines": { "node": ">=20 <18" }, Requires-Python: >=3.9,<3',
  check: ({ manifest, form }) => {
    if (manifest === null) return [];
    const { path, json, common } = manifest;
    const { runtime, impossibleRanges } = formDefinitions[form].metadata;
    const asked = runtime(json);
    const found = impossibleRanges(common).map(
      ({ name, range }): RawFinding => ({ path, message: `no version of ${name} can satisfy "${range}"` }),
    );
    if (asked === null || asked.isPossible) return found;
    return [{ path, message: `no version of ${asked.title} can satisfy ${asked.field} "${asked.range}"` }, ...found];
  },
};
