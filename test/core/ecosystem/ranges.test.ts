import { expect, it } from 'vitest';
import { ecosystemDefinitions } from '../../../src/core/ecosystem/definitions.ts';
import type { Ecosystem } from '../../../src/core/name/ecosystem.ts';

const rangeRules = (ecosystem: Ecosystem) => ecosystemDefinitions[ecosystem].ranges;

it.each<[Ecosystem, string, string, boolean]>([
  ['python', '>=1.2,<2', '1.9.0', true],
  ['python', '>=1.2,<2', '2.0.0', false],
  ['python', '~=1.2.0', '1.2.9', true],
  ['python', '~=1.2.0', '1.3.0', false],
  ['python', '~=1.2', '1.9.0', true],
  ['python', '==1.2.*', '1.2.7', true],
  ['python', '==1.2.0', '1.2.1', false],
  ['python', '!=1.3.0', '1.3.0', false],
  ['python', '>=1.2', '1.3.0-alpha.1', false],
  ['python', '>=1.3a1', '1.3.0-alpha.2', true],
  ['python', '<1.3', '1.3.0-rc.1', false],
  ['python', '', '9.0.0', true],
  ['python', 'rubbish', '1.0.0', false],
  ['rust', '1.2', '1.9.0', true],
  ['rust', '1.2', '2.0.0', false],
  ['rust', '=1.2.0', '1.2.1', false],
  ['rust', '>=1.2, <1.5', '1.4.9', true],
  ['jvm', '1.2.0', '1.2.0', true],
  ['jvm', '1.2.0', '1.3.0', false],
  ['jvm', '[1.2,2.0)', '1.9.9', true],
  ['jvm', '[1.2,2.0)', '2.0.0', false],
  ['jvm', '(,2.0]', '2.0.0', true],
  ['native', '>= 1.2', '2.0.0', true],
  ['native', '= 1.2.0', '1.3.0', false],
  ['native', '', '1.3.0', true],
  ['go', 'whatever', '1.0.0', true],
])('%s: %j takes %s: %s', (ecosystem, range, version, takes) => {
  expect(rangeRules(ecosystem).takes(range, null, version)).toBe(takes);
});

it.each<[Ecosystem, string, string]>([
  ['node', '^1.2.0', '^2.0.0'],
  ['python', '>=1.2,<2', '>=2.0.0,<3'],
  ['python', '~=1.2.0', '~=2.0.0'],
  ['python', '==1.2.0 , !=1.1', '==2.0.0 , !=1.1'],
  ['rust', '1.2', '2.0.0'],
  ['rust', '~1.2', '~2.0.0'],
  ['jvm', '1.2.0', '2.0.0'],
  ['jvm', '[1.2,2.0)', '[2.0.0,3.0.0)'],
  ['native', '= 1.2.0', '= 2.0.0'],
])('%s: %j is raised to %j, and then takes the version', (ecosystem, range, raised) => {
  const { raise, takes } = rangeRules(ecosystem);

  expect(raise(range, '2.0.0')).toBe(raised);
  expect(takes(raised, null, '2.0.0')).toBe(true);
});
