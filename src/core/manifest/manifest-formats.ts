import { cargoFormat } from './cargo-toml.ts';
import { packageJsonFormat } from './package-json.ts';
import type { ManifestFormat } from './package-manifest.ts';
import { pkgConfigFormat } from './pkg-config.ts';
import { pomFormat } from './pom-xml.ts';
import { pyprojectFormat } from './pyproject-toml.ts';

/** All manifest formats that are read, in the order in which a folder is searched for them. */
export const manifestFormats: readonly ManifestFormat[] = [
  packageJsonFormat,
  pyprojectFormat,
  pomFormat,
  cargoFormat,
  pkgConfigFormat,
  { ...pkgConfigFormat, file: '{package}.pc' },
];
