import type { Ecosystem } from '../name/ecosystem.ts';
import type { EcosystemDefinition, ManifestFile } from './definition.ts';
import { dotnet } from './dotnet/definition.ts';
import { go } from './go/definition.ts';
import { jvm } from './jvm/definition.ts';
import { native } from './native/definition.ts';
import { node } from './node/definition.ts';
import { plain } from './plain/definition.ts';
import { python } from './python/definition.ts';
import { rust } from './rust/definition.ts';

/** Every ecosystem, in the order in which a folder is searched for their manifests. */
export const ecosystemDefinitions: Readonly<Record<Ecosystem, EcosystemDefinition>> = {
  node,
  python,
  jvm,
  rust,
  dotnet,
  native,
  go,
  plain,
};

/** A manifest file with the ecosystem that it belongs to. */
export type ListedManifest = ManifestFile & { readonly ecosystem: Ecosystem };

/** All manifest files that are read, in the order in which a folder is searched for them. */
export const manifestFiles: readonly ListedManifest[] = (Object.keys(ecosystemDefinitions) as Ecosystem[]).flatMap(
  (ecosystem) => ecosystemDefinitions[ecosystem].manifests.map((manifest) => ({ ...manifest, ecosystem })),
);
