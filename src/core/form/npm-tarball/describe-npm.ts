import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { objectOf, textOf } from '../../manifest/fields.ts';
import { parsePackageJson, readPackageJson } from '../../manifest/package-json.ts';
import type { Describe } from '../definition.ts';
import { emptyManifest, type InnerManifest, type RawArtifact } from '../description.ts';

/** A package for the npm client: a gzipped tar with package.json at its top. */
export function describeNpm({ container, texts, fileName }: RawArtifact, prefix: string): ReturnType<Describe> {
  const path = `${prefix}package.json`;
  const text = texts.get(path);
  const isNamed = fileName.toLowerCase().endsWith('.tgz') || prefix === 'package/';
  if (container !== 'tar.gz' || text === undefined || prefix === '' || !isNamed) return null;
  const { manifest, problem } = readInner(text, path);
  const targets = conditionsIn(manifest.json['exports']);
  const fields = ['browser', 'module', 'types'].filter((field) => manifest.json[field] !== undefined);
  const names = [...new Set([...targets, ...fields])].filter((name) => name !== 'default');
  return {
    form: 'npm-tarball',
    manifest,
    problem,
    targets: names.length === 0 ? [] : [`conditions ${names.join(', ')}`],
    ...(textOf(manifest.json['gitHead']) === null ? {} : { commit: textOf(manifest.json['gitHead']) }),
  };
}

function readInner(text: string, path: string): { readonly manifest: InnerManifest; readonly problem: string | null } {
  try {
    const json = parsePackageJson(text, path);
    return { manifest: { path, json, common: readPackageJson(json) }, problem: null };
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return { manifest: { path, json: {}, common: emptyManifest }, problem: error.why };
  }
}

/** Names of conditions at any depth of `exports`. */
function conditionsIn(value: unknown): string[] {
  if (Array.isArray(value)) return value.flatMap(conditionsIn);
  return Object.entries(objectOf(value)).flatMap(([key, value]) => [
    ...(key.startsWith('.') ? [] : [key]),
    ...conditionsIn(value),
  ]);
}
