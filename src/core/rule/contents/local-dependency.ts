import { joinPath, parentOf } from '../../contents/inner-path.ts';
import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { type Artifact, insidePath, pathsIn } from '../../form/artifact.ts';
import { objectOf, textOf } from '../../manifest/fields.ts';
import { parseToml } from '../../manifest/toml.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const localDependency: Rule = {
  id: 'contents/local-dependency',
  forms: ['tar.gz', 'tar', 'zip', 'source-archive'],
  severity: 'refuse',
  what: 'A Go module or a Rust crate depends on no folder of the machine that it was made on',
  why: 'It builds for its author alone: others do not have that folder, and clients ignore or reject such a path',
  fix: 'Release the other package first and require its version; keep local folders in go.work or in [patch] of the workspace',
  example: 'replace code.example/harmonics => ../harmonics in go.mod',
  check: (artifact) =>
    [...artifact.texts].flatMap(([path, text]) => {
      const name = path.slice(path.lastIndexOf('/') + 1);
      if (name === 'go.mod') return goReplacements(text).map((finding) => ({ path, ...finding }));
      return name === 'Cargo.toml' ? crateFolders(path, text, artifact) : [];
    }),
};

/** Go Modules Reference, "replace directive": a path on the right begins with ./ or ../ or is absolute. */
function goReplacements(text: string): { readonly message: string }[] {
  return [
    ...text.matchAll(
      /^[ \t]*(?:replace[ \t]+)?(\S+)(?:[ \t]+v\S+)?[ \t]+=>[ \t]+(\.{1,2}(?:\/\S*)?|\/\S*|[A-Za-z]:\S*)/gm,
    ),
  ].map(([, module, place]) => ({ message: `it replaces ${module} by the folder ${place}` }));
}

/** The Cargo Book, "Specifying path dependencies": without a version only its author can resolve it. */
function crateFolders(path: string, text: string, artifact: Artifact): RawFinding[] {
  const inside = pathsIn(artifact);
  const document = parsed(text, path);
  const tables = [
    document,
    objectOf(document['workspace']),
    ...Object.values(objectOf(document['target'])).map(objectOf),
  ];
  return tables
    .flatMap((table) =>
      ['dependencies', 'build-dependencies'].flatMap((field) => Object.entries(objectOf(table[field]))),
    )
    .flatMap(([name, value]): RawFinding[] => {
      const folder = textOf(objectOf(value)['path']);
      if (folder === null || inside.has(joinPath(parentOf(path), `${folder}/Cargo.toml`))) return [];
      const isResolvable = textOf(objectOf(value)['version']) !== null;
      const message = `it depends on ${name} in the folder ${folder}, which is not inside`;
      return [
        {
          path,
          message: isResolvable ? `${message}; its version is used instead` : message,
          ...(isResolvable ? { severity: 'note' } : {}),
        },
      ];
    });
}

function parsed(text: string, path: string): Readonly<Record<string, unknown>> {
  try {
    return parseToml(text, insidePath(path, ''));
  } catch (error) {
    // A crate that cannot be read is no matter of this rule.
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return {};
  }
}
