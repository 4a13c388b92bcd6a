import { formDefinitions } from '../../form/definitions.ts';
import { textOf } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const metadataIncomplete: Rule = {
  id: 'python/metadata-incomplete',
  forms: ['wheel', 'sdist'],
  severity: 'refuse',
  what: 'The core metadata has all required fields, in a version that indexes accept',
  why: 'An index rejects the upload, after everything else has been done',
  fix: 'Build it with `bevelstone build`, or with an up-to-date build backend',
  example: 'PKG-INFO without Metadata-Version',
  check: ({ form, manifest, entries, prefix }) => {
    if (manifest === null) return [{ path: null, message: 'the core metadata is missing' }];
    const { path, json } = manifest;
    const { buildFiles } = formDefinitions[form];
    const found: RawFinding[] = [];
    const version = textOf(json['Metadata-Version']);
    if (version === null) found.push({ path, message: 'it has no Metadata-Version' });
    else if (!/^(?:1\.[0-2]|2\.[0-5])$/.test(version.trim()))
      found.push({ path, message: `unknown Metadata-Version ${version}` });
    const summary = textOf(json['Summary']);
    if (summary?.includes('\n') === true || (summary?.length ?? 0) > 512)
      found.push({ path, message: 'Summary must be one line of 512 characters at most' });
    if (buildFiles.length > 0 && !entries.some((entry) => buildFiles.includes(entry.path.slice(prefix.length))))
      found.push({
        path: null,
        message: 'it cannot be built: pyproject.toml and setup.py are missing',
      });
    return found;
  },
};
