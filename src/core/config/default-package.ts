import type { PackageConfig } from './config.ts';
import { parseConfig } from './parse-config.ts';

const { it } = parseConfig('schema: 1\npackages: { it: {} }\n', 'bevelstone.yaml').packages;
if (it === undefined) throw new Error('the schema gives no defaults for a package');

/** A package of which the configuration says nothing. */
export const defaultPackage: PackageConfig = it;
