import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const rangeImpossible: Rule = {
  id: 'metadata/range-impossible',
  forms: allForms,
  severity: 'refuse',
  what: 'Ranges of interpreters and of dependencies can be read, and some version is inside each',
  why: 'Nobody can install a package that asks for a version that cannot exist',
  fix: 'Correct the range',
  example: '"engines": { "node": ">=20 <18" }, Requires-Python: >=3.9,<3',
  check: ({ manifest, form }) => {
    if (manifest === null) return [];
    const { path, json, common } = manifest;
    const { runtime, impossibleRanges } = formDefinitions[form].metadata;
    const asked = runtime(json);
    const found = impossibleRanges(common).map(
      ({ name, range }): RawFinding => ({ path, message: `no version of ${name} is inside "${range}"` }),
    );
    if (asked === null || asked.isPossible) return found;
    return [{ path, message: `no version of ${asked.title} is inside ${asked.field}, "${asked.range}"` }, ...found];
  },
};
