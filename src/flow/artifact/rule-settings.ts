import path from 'node:path';
import type { PackageConfig } from '../../core/config/config.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import type { ArtifactRecord, ReleaseRecord } from '../../core/record/release-record.ts';
import type { RuleSettings } from '../../core/rule/rule.ts';
import type { Context } from '../context.ts';
import type { Workspace } from '../workspace/workspace.ts';

/** Settings for a file that nothing is known of. */
export function plainSettings(context: Pick<Context, 'now'>): RuleSettings {
  return {
    require: [],
    forbid: [],
    largest: null,
    growth: null,
    cLibrary: null,
    java: null,
    severities: {},
    exceptions: [],
    licences: null,
    version: null,
    release: null,
    others: [],
    beside: null,
    last: null,
    isPartial: false,
    components: null,
    lockfiles: [],
    browser: null,
    now: context.now().getTime() / 1000,
  };
}

/** Settings for an artifact of a release, from the configuration of its package. */
export function releaseSettings(
  context: Context,
  {
    workspace,
    record,
    artifactRecord: { form, platform, partial },
  }: { readonly workspace: Workspace | null; readonly record: ReleaseRecord; readonly artifactRecord: ArtifactRecord },
): RuleSettings {
  const config = workspace?.packages.find(({ name }) => name === record.package)?.config ?? null;
  const others = workspace?.packages.filter(({ name }) => name !== record.package) ?? [];
  return {
    ...plainSettings(context),
    ...(config === null ? {} : configured(config)),
    isPartial: partial !== undefined,
    version: formDefinitions[form].namedVersion(record.version, record.spellings),
    others: others.map(({ fullName }) => fullName),
    beside: record.artifacts.map((artifact) => artifact.form),
    release: {
      package: record.package,
      version: record.version,
      name: record.name,
      tag: record.tag,
      commit: record.commit,
      platform,
    },
  };
}

function configured({ verify }: PackageConfig) {
  const { require, forbid, largest, growth, java, rules, exceptions, licences } = verify;
  return {
    require,
    forbid,
    largest,
    growth,
    cLibrary: verify['c-library'],
    java,
    severities: rules,
    exceptions,
    licences,
  };
}

/**
 * Folders of this machine that nothing shipped should name: the home folder, the repository, what checkouts are made in.
 * Short ones such as `/root` are words of many texts, and are left to the general rule.
 */
export function ownPlaces({ env }: Context, root: string | null, temporary: string): string[] {
  const home = env['HOME'] ?? '';
  const places = [home, root ?? ''].filter((place) => place.split('/').filter(Boolean).length >= 2);
  return [...new Set([...places, path.join(temporary, 'bevelstone-')])];
}
