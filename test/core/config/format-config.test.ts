import { readFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { stringify } from 'yaml';
import { formatConfig } from '../../../src/core/config/format-config.ts';
import { parseConfig } from '../../../src/core/config/parse-config.ts';

const root = path.join(import.meta.dirname, '../../..');
const documented = /```yaml\n([\s\S]*?)```/.exec(readFileSync(path.join(root, 'docs/configuration.md'), 'utf8'))?.[1];

describe('a configuration with its defaults', () => {
  it.each([
    ['of nothing but the schema', 'schema: 1\n'],
    ['of our own repository', readFileSync(path.join(root, 'bevelstone.yaml'), 'utf8')],
    ['of the demo', readFileSync(path.join(root, 'demo/workspace/bevelstone.yaml'), 'utf8')],
    ['with every documented key', documented ?? ''],
    ['with empty values', 'schema: 1\npackages: { a: { tools: [cc, "node >=20"], verify: { growth: null } } }\n'],
  ])('%s is a configuration that means the same', (_, text) => {
    const config = parseConfig(text, 'bevelstone.yaml');

    const shown = stringify(formatConfig(config), { lineWidth: 0 });

    expect(parseConfig(shown, 'shown.yaml')).toEqual(config);
    expect(shown).not.toMatch(/: null$(?<!growth: null)/m);
  });
});
