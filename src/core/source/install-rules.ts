import type { PackageConfig } from '../config/config.ts';
import { formDefinitions } from '../form/definitions.ts';
import type { SourceFacts } from '../form/source-archive/from-source.ts';

/**
 * What of a built package people install who build it themselves: what its first archive with `files` has, and which files of it
 * only this program makes.
 */
export function installRules({
  artifacts,
}: Pick<PackageConfig, 'artifacts'>): Pick<SourceFacts, 'install' | 'helpers'> {
  const found = artifacts.find(({ form, files }) => formDefinitions[form].isUnpacked && files !== null);
  return { install: found?.files ?? null, helpers: found?.helpers.map(({ helper }) => helper) ?? [] };
}
