import path from 'node:path';
import { formDefinitions } from '../../core/form/definitions.ts';
import { type FromSource, fromSource, type SourceFacts } from '../../core/form/source-archive/from-source.ts';
import { installRules } from '../../core/source/install-rules.ts';
import type { Package } from './workspace.ts';

/** Of which release, where the package lies below the top of the sources, and what else its artifacts are made with. */
export type SourceOf = Pick<SourceFacts, 'version' | 'commit' | 'time' | 'folder' | 'inputs'> & {
  readonly release: Omit<SourceFacts['release'], 'manifest'>;
};

/** How a package is built from its sources. */
export function packageSource(pkg: Package, { release, ...facts }: SourceOf): FromSource {
  const { name, fullName, ecosystem, manifest, manifestPath } = pkg;
  const config = {
    ...pkg.config,
    // A part of a release needs the release before, which the sources do not have.
    artifacts: pkg.config.artifacts.filter(
      (artifact) => !formDefinitions[artifact.form].isSource && artifact['only-new-after'] === null,
    ),
  };
  return fromSource({
    ...{ name, fullName, ecosystem, config, manifest },
    ...installRules(pkg.config),
    ...facts,
    release: { ...release, manifest: manifestPath === null ? null : path.posix.relative(pkg.folder, manifestPath) },
  });
}
