import { filesIn } from '../../form/artifact.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const recordDisagrees: Rule = {
  id: 'python/record-disagrees',
  forms: ['wheel'],
  severity: 'refuse',
  what: 'RECORD of a wheel lists exactly the files of the wheel, with correct digests and sizes',
  why: 'Installers reject a wheel with a wrong RECORD, or leave files behind when uninstalling it',
  fix: 'Do not change a wheel after packing; pack it again',
  example: 'tidemark/table.py was changed after packing',
  check: (artifact) => {
    const path = artifact.entries.find((entry) => /^[^/]+\.dist-info\/RECORD$/.test(entry.path))?.path;
    const text = path === undefined ? undefined : artifact.texts.get(path);
    if (path === undefined || text === undefined) return [{ path: null, message: 'RECORD is missing' }];
    const lines = new Map(
      text
        .split(/\r?\n/)
        .filter(Boolean)
        .map((line) => parseLine(line)),
    );
    const found: RawFinding[] = [];
    for (const { path: file, sha256, sizeBytes } of filesIn(artifact)) {
      const line = lines.get(file);
      lines.delete(file);
      // Signatures of RECORD cannot be in it (PEP 427, "Signed wheel files").
      if (file === path || /\.dist-info\/RECORD\.(?:jws|p7s)$/.test(file)) continue;
      if (line === undefined) found.push({ path: file, message: 'it is not listed in RECORD' });
      else if (line.algorithm !== 'sha256') found.push(weak(file, line.algorithm));
      else if (line.digest !== Buffer.from(sha256 ?? '', 'hex').toString('base64url'))
        found.push({ path: file, message: 'its digest differs from RECORD' });
      else if (line.size !== '' && Number(line.size) !== sizeBytes)
        found.push({ path: file, message: `its size is ${sizeBytes} bytes, RECORD says ${line.size}` });
    }
    for (const name of lines.keys())
      if (!name.endsWith('/')) found.push({ path: name, message: 'it is listed in RECORD but missing' });
    return found;
  },
};

type RecordLine = { readonly algorithm: string; readonly digest: string; readonly size: string };

/** PEP 427 asks for SHA-256 or better. */
function weak(path: string, algorithm: string): RawFinding {
  if (algorithm === 'sha384' || algorithm === 'sha512')
    return { path, message: `RECORD has its ${algorithm}, which was not checked`, severity: 'note' };
  return {
    path,
    message: algorithm === '' ? 'RECORD has no digest of it' : `RECORD has its ${algorithm}, which is too weak`,
  };
}

/** A line of CSV with three fields; the first may be quoted (PEP 376, "RECORD"). */
function parseLine(line: string): [string, RecordLine] {
  const match = /^(?:"((?:[^"]|"")*)"|([^,]*)),([^,]*),?(.*)$/.exec(line);
  const [algorithm = '', digest = ''] = (match?.[3] ?? '').split(/=(.*)/s);
  return [
    (match?.[1]?.replaceAll('""', '"') ?? match?.[2] ?? line).replace(/^\.\//, ''),
    { algorithm, digest, size: match?.[4] ?? '' },
  ];
}
