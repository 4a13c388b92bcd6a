import { joinPath, parentOf } from '../../contents/inner-path.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const sourceMap: Rule = {
  id: 'contents/source-map',
  forms: allForms,
  severity: 'warn',
  what: 'Source maps are valid, and their sources are embedded or included',
  why: 'A map without sources is useless in a debugger',
  fix: 'Embed the sources in the map, include them, or leave the maps out',
  example: 'dist/tide.js.map with "sources": ["../src/tide.ts"] and no src inside',
  check: ({ facts, entries }) => {
    const paths = new Set(entries.map(({ path }) => path));
    const found = [...facts.maps].flatMap(([path, map]): RawFinding[] => {
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
  },
};

const most = 3;
const unreadable = 'it is not a source map';
