import type { FileRuleConfig, PackageConfig } from '../config/config.ts';
import { formDefinitions } from '../form/definitions.ts';

/** What of a built package people install who build it themselves: what its first archive with `files` has; null without one. */
export function installRules({ artifacts }: Pick<PackageConfig, 'artifacts'>): readonly FileRuleConfig[] | null {
  const found = artifacts.find(({ form, files }) => formDefinitions[form].isUnpacked && files !== null);
  return found?.files ?? null;
}
