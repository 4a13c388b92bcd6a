import type { BuiltForm } from '../config/config.ts';

/** What an artifact's name and layout depend on. */
export type FormInput = {
  readonly form: BuiltForm;
  readonly packageName: string;
  /** Name in the ecosystem's manifest; the package's own where it has none. */
  readonly manifestName: string;
  readonly version: string;
  readonly name: string | null;
};

/** Where things go in an artifact, and what it is called. */
export type Layout = { readonly fileName: string; readonly prefix: string };

/** Name and top folder of an artifact. A scope's `@` and `/` do not belong into a file name. */
export function layOut({ form, packageName, manifestName, version, name }: FormInput): Layout {
  const safe = (form === 'npm-tarball' ? manifestName : packageName).replace(/^@/, '').replaceAll('/', '-');
  if (form === 'npm-tarball') return { fileName: `${safe}-${version}.tgz`, prefix: 'package/' };
  const pattern = name ?? '{package}-{version}.tar.gz';
  const fileName = pattern.replaceAll('{package}', safe).replaceAll('{version}', version);
  return { fileName, prefix: `${safe}-${version}/` };
}
