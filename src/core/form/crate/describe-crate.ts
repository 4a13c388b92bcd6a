import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { cargoFormat } from '../../manifest/cargo-toml.ts';
import { objectOf, textOf } from '../../manifest/fields.ts';
import { parseToml } from '../../manifest/toml.ts';
import { jsonOrNull } from '../../text/json.ts';
import type { Describe } from '../definition.ts';
import { emptyManifest, type RawArtifact } from '../description.ts';
import { hasProgram } from './crate.ts';

/** A crate: a gzipped tar with Cargo.toml in its one folder, and the original of that or the name of a crate. */
export function describeCrate(raw: RawArtifact, prefix: string): ReturnType<Describe> {
  const { container, texts, fileName, entries } = raw;
  const path = `${prefix}Cargo.toml`;
  const text = texts.get(path);
  const isNamed = fileName.endsWith('.crate') || entries.some((entry) => entry.path === `${prefix}Cargo.toml.orig`);
  if (container !== 'tar.gz' || prefix === '' || text === undefined || !isNamed) return null;
  const commit = textOf(
    objectOf(objectOf(jsonOrNull(texts.get(`${prefix}.cargo_vcs_info.json`) ?? ''))['git'])['sha1'],
  );
  try {
    const json = parseToml(text, path);
    const inside = new Set(entries.map((entry) => entry.path.slice(prefix.length)));
    const kinds = [
      ...(json['lib'] !== undefined || inside.has('src/lib.rs') ? ['library'] : []),
      ...(hasProgram(json, inside) ? ['program'] : []),
    ];
    const edition = textOf(objectOf(json['package'])['edition']);
    return {
      form: 'crate',
      manifest: { path, json, common: cargoFormat.read(text, path) },
      targets: [kinds.join(' and '), edition === null ? '' : `edition ${edition}`].filter((line) => line !== ''),
      commit,
    };
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return { form: 'crate', manifest: { path, json: {}, common: emptyManifest }, problem: error.why, commit };
  }
}
