import type { ManifestFormat } from './package-manifest.ts';

/** A manifest format in the list of all: what it is found by, the rest loaded when there is such a file. */
export type ListedFormat = {
  /** File name; `{package}` stands for the package's name. */
  readonly file: string;
  readonly ecosystem: string;
  readonly load: () => Promise<ManifestFormat>;
};

const pkgConfig = async () => (await import('./pkg-config.ts')).pkgConfigFormat;

/** All manifest formats that are read, in the order in which a folder is searched for them. */
export const manifestFormats: readonly ListedFormat[] = [
  { file: 'package.json', ecosystem: 'node', load: async () => (await import('./package-json.ts')).packageJsonFormat },
  {
    file: 'pyproject.toml',
    ecosystem: 'python',
    load: async () => (await import('./pyproject-toml.ts')).pyprojectFormat,
  },
  { file: 'setup.cfg', ecosystem: 'python', load: async () => (await import('./old-python.ts')).setupCfgFormat },
  { file: 'setup.py', ecosystem: 'python', load: async () => (await import('./old-python.ts')).setupPyFormat },
  { file: 'pom.xml', ecosystem: 'jvm', load: async () => (await import('./pom-xml.ts')).pomFormat },
  { file: 'Cargo.toml', ecosystem: 'rust', load: async () => (await import('./cargo-toml.ts')).cargoFormat },
  { file: '{package}.nuspec', ecosystem: 'dotnet', load: async () => (await import('./nuspec.ts')).nuspecFormat },
  { file: '{package}.pc.in', ecosystem: 'native', load: pkgConfig },
  { file: '{package}.pc', ecosystem: 'native', load: pkgConfig },
];
