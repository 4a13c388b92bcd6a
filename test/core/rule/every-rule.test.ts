import { describe, expect, it } from 'vitest';
import type { Artifact } from '../../../src/core/form/artifact.ts';
import { ruleIds } from '../../../src/core/name/rule.ts';
import type { RuleSettings } from '../../../src/core/rule/rule.ts';
import { checkArtifact } from '../../../src/core/rule/rules.ts';
import { npmArtifact, ruleSettings } from '../../builders/artifact.ts';
import type { BreakingCase, NearlyCase } from './cases/case.ts';
import * as everyForm from './cases/every-form.ts';
import * as node from './cases/node.ts';
import * as nodeModules from './cases/node-modules.ts';
import * as otherForms from './cases/other-forms.ts';
import * as otherPackages from './cases/other-packages.ts';
import * as rustAndGo from './cases/rust-and-go.ts';

const tables = [everyForm, node, nodeModules, otherForms, otherPackages, rustAndGo];
const breaking = tables.flatMap((table): readonly BreakingCase[] => table.breaking);
const nearlyBreaking = tables.flatMap((table): readonly NearlyCase[] => table.nearlyBreaking);

const found = (rule: string, artifact: Artifact, settings?: Partial<RuleSettings>) =>
  checkArtifact(artifact, ruleSettings(settings)).filter((finding) => finding.rule === rule);

describe.each(ruleIds)('%s', (rule) => {
  it('has a case that breaks it and one that nearly does', () => {
    expect(breaking.map(([id]) => id)).toContain(rule);
    expect(nearlyBreaking.map(([id]) => id)).toContain(rule);
  });
});

it.each<BreakingCase>(breaking)('%s is found', (rule, artifact, message, settings) => {
  const messages = found(rule, artifact, settings).map((finding) => finding.message);

  expect(messages.join('\n')).toMatch(message);
});

it.each<NearlyCase>(nearlyBreaking)('%s is not found', (rule, artifact, settings) => {
  expect(found(rule, artifact, settings)).toEqual([]);
});

it('nothing is found in a good artifact', () => {
  const release = { ...everyForm.release };
  expect(checkArtifact(npmArtifact(), ruleSettings({ version: '1.4.0', release }))).toEqual([]);
});

it('is milder for lazy imports, and accepts optional ones', () => {
  const late = npmArtifact({}, { 'package/dist/tide.js': "export const heights = () => import('harmonics');\n" });

  expect(found('node/undeclared-import', late)).toMatchObject([{ severity: 'warn' }]);
});
