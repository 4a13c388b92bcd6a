import { downloadUrl, parseRegistryConfig } from '../../core/protocol/crate-registry/registry.ts';
import { jsonOrNull } from '../../core/text/json.ts';
import { drain, type HttpAnswer, readText, send } from '../../world/http.ts';
import type { Call } from '../service.ts';

/** A crate that is not here, from the first other index that has it: where its files are, it says itself. */
export async function upstreamCrate({ upstream }: Call, asked: string): Promise<HttpAnswer | null> {
  const [, name = '', version = ''] = /^crates\/([\w-]+)\/\1-([^/]+)\.crate$/.exec(asked) ?? [];
  if (name === '') return null;
  for (const { url, headers = {}, without } of upstream) {
    if (without?.has(name)) continue;
    const answer = await send({ method: 'GET', url: `${url}config.json`, headers });
    const config = parseRegistryConfig(jsonOrNull(await readText(answer, url)));
    if (config === null) continue;
    // A template with a digest cannot be filled from the path alone.
    const address = downloadUrl(config, { name, version, sha256: '' });
    const isOwn = new URL(address).origin === new URL(url).origin;
    const found = await send({ method: 'GET', url: address, headers: isOwn ? headers : {} });
    if (found.status === 200) return found;
    await drain(found);
  }
  return null;
}
