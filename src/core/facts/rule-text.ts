import { mayNameVersion } from './module-version.ts';

const wanted = new RegExp(
  [
    '(?:^|/)package\\.json$',
    '^(?:[^/]+/)?(?:licen[cs]e|copying|notice|unlicense)(?:[.-][\\w.-]+)?$',
    '^(?:[^/]+/)?(?:pyproject\\.toml|setup\\.(?:py|cfg)|go\\.mod|Cargo\\.toml)$',
    '^[^/]+\\.dist-info/(?:RECORD|entry_points\\.txt|licen[cs]es?/[^/]+|LICEN[CS]E[^/]*)$',
    '^META-INF/(?:maven/[^/]+/[^/]+/pom\\.(?:xml|properties)|LICENSE[^/]*)$',
    '^(?:\\[Content_Types\\]\\.xml|_rels/\\.rels)$',
    // Texts of others that are bundled.
    '(?:^|/)[^/]*(?:licen[cs]es?|notices?|third-?_?party|copying)[^/]*\\.(?:txt|md|rst|html)$',
    '^(?:docs?/)?readme(?:\\.\\w+)?$',
  ].join('|'),
  'i',
);

/** Paths whose whole text rules want, beside what describes the artifact. */
export function isRuleText(path: string): boolean {
  return (wanted.test(path) || mayNameVersion(path)) && !/(?:^|\/)node_modules\//.test(path);
}
