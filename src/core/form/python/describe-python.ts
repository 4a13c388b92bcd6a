import { normaliseName } from '../../manifest/normalise-name.ts';
import { requirements } from '../../manifest/pyproject-toml.ts';
import type { Describe } from '../definition.ts';
import type { Description, InnerManifest, RawArtifact } from '../description.ts';
import { parseCoreMetadata } from './core-metadata.ts';

type Found = ReturnType<Describe>;

/** A wheel: a zip archive with a `.dist-info` folder at its top (PEP 427). */
export function describeWheel({ container, texts }: RawArtifact): Found {
  const info = [...texts.keys()].find((path) => /^[^/]+\.dist-info\/WHEEL$/.test(path));
  if (container !== 'zip' || info === undefined) return null;
  const path = info.replace(/WHEEL$/, 'METADATA');
  const { fields } = parseCoreMetadata(texts.get(info) ?? '');
  const tags = fields['Tag'] ?? [];
  return { form: 'wheel', ...described(texts.get(path) ?? '', path), targets: tags.map((tag) => `tag ${tag}`) };
}

/** A source distribution: a gzipped tar with PKG-INFO in its one folder. */
export function describeSdist({ container, texts }: RawArtifact, prefix: string): Found {
  const path = `${prefix}PKG-INFO`;
  const text = texts.get(path);
  if (container !== 'tar.gz' || prefix === '' || text === undefined) return null;
  return { form: 'sdist', ...described(text, path) };
}

function described(text: string, path: string): { manifest: InnerManifest; readme: Description['readme'] } {
  const { fields, body } = parseCoreMetadata(text);
  const item = (name: string) => fields[name]?.[0] ?? null;
  const name = item('Name');
  const description = fields['Description']?.[0] ?? body;
  const licence = item('License-Expression') ?? item('License');
  return {
    manifest: {
      path,
      json: Object.fromEntries(
        Object.entries(fields).map(([key, values]) => [key, values.length === 1 ? values[0] : values]),
      ),
      common: {
        name: name === null ? null : normaliseName(name),
        version: item('Version'),
        description: item('Summary'),
        licence,
        dependencies: requirements(fields['Requires-Dist'] ?? [], 'run'),
      },
    },
    readme: description.trim() === '' ? null : { path, text: description },
  };
}
