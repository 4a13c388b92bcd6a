import { type FromSource, fromSource } from '../../core/form/source-archive/from-source.ts';
import { installRules } from '../../core/source/install-rules.ts';
import type { Package } from './workspace.ts';

/** How a package is built from its sources. @param facts the release, and where the package lies below the top of the sources. */
export function packageSource(
  { name, fullName, ecosystem, config, manifest }: Package,
  facts: { readonly version: string; readonly commit: string; readonly time: number; readonly folder: string },
): FromSource {
  return fromSource({ name, fullName, ecosystem, config, manifest, ...installRules(config), ...facts });
}
