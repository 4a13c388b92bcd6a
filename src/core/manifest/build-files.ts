import { BevelstoneError } from '../error/bevelstone-error.ts';
import { coreOf, isVersion } from '../version/version.ts';
import type { ManifestFormat, PackageManifest } from './package-manifest.ts';

// Build files that name a project. Their versions are written by the places that the ecosystem finds, so stamping is left to those.

/** A manifest of which only a few things are known. */
function manifest(known: Partial<PackageManifest>): PackageManifest {
  return { name: null, version: null, description: null, licence: null, dependencies: [], ...known };
}

function readOnly(read: (text: string) => Partial<PackageManifest>): ManifestFormat {
  return { read: (text) => manifest(read(text)), stamp: (text) => text };
}

/** `CMakeLists.txt` with `project(NAME VERSION …)` (CMake, "project"). */
export const cmakeFormat = readOnly((text) => {
  const call = /^[ \t]*project[ \t]*\(\s*"?([\w.+-]+)"?([^)]*)\)/im.exec(text);
  return {
    name: call?.[1] ?? null,
    version: /\bVERSION\s+"?(\d+(?:\.\d+){0,3})/i.exec(call?.[2] ?? '')?.[1] ?? null,
    description: /\bDESCRIPTION\s+"([^"]*)"/i.exec(call?.[2] ?? '')?.[1] ?? null,
  };
});

/** `meson.build` with `project('name', …)` (Meson, "project()"). */
export const mesonFormat = readOnly((text) => {
  const call = /^[ \t]*project[ \t]*\(\s*'([^']+)'((?:[^()]|\([^)]*\))*)\)/m.exec(text);
  return {
    name: call?.[1] ?? null,
    version: /\bversion\s*:\s*'(\d[^']*)'/.exec(call?.[2] ?? '')?.[1] ?? null,
    licence: /\blicense\s*:\s*'([^']+)'/.exec(call?.[2] ?? '')?.[1] ?? null,
  };
});

/** `configure.ac` with `AC_INIT` (Autoconf, "Initializing configure"). */
export const autoconfFormat = readOnly((text) => {
  const [, name, version] = /^[ \t]*AC_INIT[ \t]*\(\s*\[?([^\],)]+)\]?(?:\s*,\s*\[?([^\],)]+))?/m.exec(text) ?? [];
  return { name: name?.trim() ?? null, version: /^\d/.test(version ?? '') ? (version?.trim() ?? null) : null };
});

/** `build.gradle` and `build.gradle.kts`: group and version of the project. Its name is that of its folder. */
export const gradleFormat = readOnly((text) => ({
  version: /^[ \t]*(?:project\.)?version[ \t]*=?[ \t]*["'](\d[^"'$\n]*)["']/m.exec(text)?.[1] ?? null,
  description: /^[ \t]*description[ \t]*=?[ \t]*["']([^"'$\n]+)["']/m.exec(text)?.[1] ?? null,
}));

/** A project file of .NET (MSBuild; "NuGet pack and restore as MSBuild targets"). */
export const dotnetProjectFormat = readOnly((text) => {
  const property = (name: string) => new RegExp(`<${name}>\\s*([^<$]+?)\\s*</${name}>`).exec(text)?.[1] ?? null;
  return {
    name: property('PackageId'),
    version: property('PackageVersion') ?? property('Version') ?? property('VersionPrefix'),
    description: property('Description'),
    licence: property('PackageLicenseExpression'),
    dependencies: [
      ...text.matchAll(/<PackageReference\s+[^>]*?Include="([^"]+)"[^>]*?(?:Version="([^"]+)")?[^>]*>/g),
    ].map(([, name = '', range = '']) => ({ name, range, kind: 'run' as const })),
  };
});

/**
 * `go.mod`: its module path is the name, and ends with the major number from 2 on (Go Modules Reference, "Major version
 * suffixes"). Bevelstone does not rewrite import paths.
 */
export const goModFormat: ManifestFormat = {
  read: (text) => manifest({ name: /^module\s+"?([^\s"]+)/m.exec(text)?.[1] ?? null }),
  stamp: (text, { version }, file) => {
    const path = /^module\s+"?([^\s"]+)/m.exec(text)?.[1] ?? '';
    if (version === null || !isVersion(version) || path === '') return text;
    const { major } = coreOf(version);
    const [, base = path, suffix] = /^(.*?)(?:\/v(\d+)|\.v(\d+))$/.exec(path) ?? [];
    const own = /[/.]v(\d+)$/.exec(path)?.[1] ?? suffix;
    if (own === undefined ? major < 2 : Number(own) === major || (path.includes('.v') && Number(own) === major))
      return text;
    const expected = major < 2 ? base : `${base}/v${major}`;
    throw new BevelstoneError('VERSION_REFUSED', {
      message: `${file} says module ${path}, which cannot have the version ${version}`,
      why: 'from 2.0.0 on the path of a module ends with its major number',
      fix: `Change the module path to ${expected}, and the imports of it, in a commit of their own`,
      where: { file },
    });
  },
};
