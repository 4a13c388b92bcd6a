import { stringify } from 'yaml';
import { formatConfig, withPlainTags } from '../../core/config/format-config.ts';
import { cleanLines, cleanText } from '../../core/text/clean.ts';
import type { ReadConfig } from '../../flow/workspace/config.ts';
import { displayPath } from './display-path.ts';
import { type Screen, sign } from './screen.ts';

/** That the configuration is right, and what it names. */
export function renderChecked({ file, isThere, config }: ReadConfig, screen: Screen): string {
  if (!isThere)
    return `${sign('nothing', screen)} no bevelstone.yaml: the one package is found from the manifest at the root. To begin: bevelstone init`;
  const names = (record: object) => Object.keys(record).map(cleanText).join(', ') || 'none';
  return [
    `${sign('done', screen)} ${cleanText(displayPath(file))} is valid`,
    `    packages      ${names(config.packages)}`,
    `    streams       ${names(config.streams)}`,
    `    destinations  ${names(config.destinations)}`,
  ].join('\n');
}

/** The configuration with its defaults, as YAML that is itself a configuration. */
export function renderConfig({ config }: ReadConfig): string {
  return cleanLines(stringify(formatConfig(config), { lineWidth: 0 })).trimEnd();
}

/** The `result` of `config check --json` and `config show --json`. */
export function configJson({ file, config }: ReadConfig): unknown {
  return { file, written: false, config: withPlainTags(config) };
}
