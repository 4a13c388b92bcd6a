import path from 'node:path';
import type { Finding } from '../../core/rule/rule.ts';
import { checkInstalled } from '../../core/rule/rules.ts';
import { temporaryFolder } from '../../world/platform.ts';
import type { NeedsOf } from '../artifact/release-needs.ts';
import { ownPlaces, releaseSettings } from '../artifact/rule-settings.ts';
import type { Context } from '../context.ts';
import { examineArtifact } from '../read/read-artifact.ts';
import { browserReachOf } from '../read/readable-package.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import type { InstalledPlaces } from '../sbom/installed-facts.ts';
import type { Workspace } from '../workspace/workspace.ts';
import type { InstalledTree } from './client/client.ts';

/** Of which release, and where it was installed. */
type InstalledRelease = {
  readonly workspace: Workspace;
  readonly release: ReleaseFolder;
  readonly needsOf: NeedsOf;
  readonly places: InstalledPlaces;
  readonly trees: readonly InstalledTree[];
};

/**
 * What the rules find once a release is installed with all that it needs: imports that lead through dependencies, and licences
 * that no lockfile names. @returns findings that refuse or warn, and that the artifact alone did not show.
 */
export async function installedFindings(
  context: Context,
  { workspace, release: { folder: built, record }, needsOf, places: installed, trees }: InstalledRelease,
): Promise<Finding[]> {
  const findings: Finding[] = [];
  const [{ components: alone }, { components }] = [await needsOf(record), await needsOf(record, installed)];
  for (const tree of trees) {
    const listed = record.artifacts.find(({ file }) => file === tree.artifact);
    if (listed === undefined || tree.type !== 'folder') continue;
    const places = ownPlaces(context, workspace.repository.root, temporaryFolder());
    const artifact = await examineArtifact(path.join(built, listed.file), {
      ownPlaces: places,
      signal: context.signal,
      form: listed.form,
    });
    const browser = await browserReachOf(artifact, {
      beside: [],
      installed: tree.folder,
      workspace: null,
    });
    const settings = releaseSettings(context, { workspace, record, artifactRecord: listed });
    const named = { ...artifact, form: listed.form };
    const known = new Set(checkInstalled(named, { ...settings, components: alone }).map(({ message }) => message));
    const found = checkInstalled(named, { ...settings, components, browser });
    findings.push(...found.filter(({ severity, message }) => severity !== 'note' && !known.has(message)));
  }
  return findings;
}
