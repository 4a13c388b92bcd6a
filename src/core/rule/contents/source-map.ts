import { joinPath, parentOf } from '../../contents/inner-path.ts';
import { type Artifact, filesIn, pathsIn } from '../../form/artifact.ts';
import { formatBytes } from '../../text/bytes.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const sourceMap: Rule = {
  id: 'contents/source-map',
  forms: allForms,
  severity: 'warn',
  what: 'Source maps are valid, not far larger than the code, and their sources are embedded or included',
  why: 'A map without sources is useless in a debugger',
  fix: 'Embed the sources in the map, include them, or leave the maps out',
  example: 'dist/tide.js.map with "sources": ["../src/tide.ts"] and no src inside',
  check: (artifact) => [...sourceless(artifact), ...oversized(artifact)],
};

/** Maps of more than this weigh on every install; of code that is small itself they are no matter. */
const heavyBytes = 1 << 20;
const heavyTimes = 4;

function oversized(artifact: Artifact): RawFinding[] {
  const files = filesIn(artifact);
  const maps = files.filter(({ path }) => /\.(?:[cm]?js|css|ts)\.map$/.test(path));
  const code = files.filter(({ path }) => /\.(?:[cm]?js|css)$/.test(path));
  const [mapBytes, codeBytes] = [maps, code].map((list) => list.reduce((sum, { sizeBytes }) => sum + sizeBytes, 0));
  const [first] = maps;
  if (first === undefined || mapBytes === undefined || codeBytes === undefined) return [];
  if (mapBytes < heavyBytes || mapBytes < heavyTimes * codeBytes) return [];
  const message = `source maps take ${formatBytes(mapBytes)}, and the code ${formatBytes(codeBytes)}`;
  return [{ path: first.path, message, fix: 'Leave the maps out, or do not embed the sources in them' }];
}

function sourceless(artifact: Artifact): RawFinding[] {
  const paths = pathsIn(artifact);
  const found = [...artifact.facts.maps].flatMap(([path, map]): RawFinding[] => {
    if (map === null) return [{ path, message: unreadable }];
    if (map.hasContent || map.sources.length === 0) return [];
    const folder = parentOf(path);
    const missing = map.sources.filter(
      (source) => !/^[a-z][\w+.-]*:/i.test(source) && !paths.has(joinPath(folder, source)),
    );
    if (missing.length === 0) return [];
    const others = missing.length === 1 ? '' : ` and ${missing.length - 1} more`;
    return [{ path, message: `it refers to ${missing[0]}${others}, which is neither included nor embedded` }];
  });
  const silent = found.filter(({ message }) => message !== unreadable);
  if (silent.length <= most) return found;
  const rest = `and so it is with ${silent.length - most} more maps`;
  return [
    ...found.filter((finding) => !silent.includes(finding)),
    ...silent.slice(0, most),
    { path: null, message: rest },
  ];
}

const most = 3;
const unreadable = 'it is not a source map';
