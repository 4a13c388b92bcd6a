import type { DestinationConfig } from '../../config/config.ts';
import { withSlash } from '../traits.ts';

/** Where the objects of a bucket are for people and for clients without an account, with `/` behind. */
export function bucketAddress(
  url: string,
  { bucket, 'path-style': pathStyle }: Pick<DestinationConfig, 'bucket' | 'path-style'>,
): string {
  const endpoint = new URL(withSlash(url));
  if (pathStyle) return `${endpoint.href}${bucket}/`;
  endpoint.hostname = `${bucket}.${endpoint.hostname}`;
  return endpoint.href;
}
