import { goModFormat } from '../../manifest/build-files.ts';
import { parseGoMod } from '../../manifest/go-mod.ts';
import type { Describe } from '../definition.ts';
import type { RawArtifact } from '../description.ts';

/** The zip of a module: everything below a path with a version behind it, and go.mod there. */
export function describeModule({ container, texts, entries }: RawArtifact): ReturnType<Describe> {
  const [, prefix = '', version = ''] = /^((?:[^/]+\/)*[^/]+@v(\d[^/]*)\/)/.exec(entries[0]?.path ?? '') ?? [];
  if (container !== 'zip' || prefix === '') return null;
  const path = `${prefix}go.mod`;
  const text = texts.get(path);
  if (text === undefined) return null;
  const json = parseGoMod(text);
  return {
    form: 'go-module',
    prefix,
    manifest: { path, json: { ...json }, common: { ...goModFormat.read(text, path), version } },
    targets: json.go === null ? [] : [`Go ${json.go}`],
  };
}
