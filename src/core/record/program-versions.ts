/** The programs whose versions decide which bytes come out of a build. */
export type ProgramVersions = { readonly bevelstone: string; readonly node: string; readonly zlib: string };
