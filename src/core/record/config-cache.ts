import { createHash } from 'node:crypto';
import { format, parseRecord } from './parse-record.ts';
import { isSha256, object } from './schema.ts';

type CachedConfig<Config> = { readonly key: string; readonly digest: string; readonly config: Config };

const cacheSchema = object({ schema: () => true, key: isSha256, digest: isSha256, config: () => true });

/** A checked configuration as it is remembered. @param key names the program to the byte, and the text that was checked. */
export function formatConfigCache(key: string, config: unknown): string {
  return JSON.stringify({ schema: format, key, digest: digestOf(config), config });
}

/** The remembered configuration; null when there is none for this key, or the file is not what was written. */
export function parseConfigCache<Config>(text: string, key: string): Config | null {
  const parsed = parseRecord<CachedConfig<Config>>(text, cacheSchema);
  if (parsed.type !== 'record' || parsed.record.key !== key) return null;
  const { digest, config } = parsed.record;
  return digest === digestOf(config) ? config : null;
}

function digestOf(config: unknown): string {
  return createHash('sha256').update(JSON.stringify(config)).digest('hex');
}
