import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { objectOf, textOf } from '../../manifest/fields.ts';
import { nuspecFormat, parseNuspec } from '../../manifest/nuspec.ts';
import type { Describe } from '../definition.ts';
import type { RawArtifact } from '../description.ts';
import { frameworksOf } from './nupkg.ts';

/** A package for .NET: a zip archive with content types and a nuspec at its top. */
export function describeNupkg(raw: RawArtifact): ReturnType<Describe> {
  const path = [...raw.texts.keys()].find((key) => /^[^/]+\.nuspec$/i.test(key));
  const text = path === undefined ? undefined : raw.texts.get(path);
  const hasTypes = raw.entries.some((entry) => entry.path === '[Content_Types].xml');
  if (raw.container !== 'zip' || path === undefined || text === undefined || !hasTypes) return null;
  try {
    const metadata = parseNuspec(text, path);
    const paths = raw.entries.map((entry) => entry.path);
    const runtimes = [...new Set(paths.flatMap((path) => /^runtimes\/([^/]+)\//.exec(path)?.[1] ?? []))];
    const types = JSON.stringify(metadata['packageTypes'] ?? '');
    return {
      form: types.includes('"SymbolsPackage"') ? 'snupkg' : 'nupkg',
      manifest: { path, json: metadata, common: nuspecFormat.read(text, path) },
      targets: [
        ...frameworksOf(paths).map((framework) => `framework ${framework}`),
        ...runtimes.map((runtime) => `runtime ${runtime}`),
      ],
      commit: textOf(objectOf(metadata['repository'])['@commit']),
    };
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return { form: 'nupkg', problem: error.why };
  }
}
