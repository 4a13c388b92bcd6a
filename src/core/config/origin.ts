/** The origin of a web address (RFC 6454 §4), such as `https://packages.fenmarsh.example`; null for anything else. */
export function originOf(address: string): string | null {
  if (!/^https?:\/\//i.test(address) || !URL.canParse(address)) return null;
  return new URL(address).origin;
}

/** Whether a text is an origin and no more: no path, no user, no query. */
export function isOrigin(text: string): boolean {
  return originOf(text) !== null && new URL(text).href === `${new URL(text).origin}/`;
}

/** The origins that a destination is made of: those that its configuration names, and none that a server refers to. */
export function configuredOrigins(
  { speaks, bucket, 'path-style': pathStyle, 'also-trusts': also }: OriginParts,
  addresses: readonly (string | null)[],
): ReadonlySet<string> {
  const own = addresses.flatMap((address) => (address === null ? [] : (originOf(address) ?? [])));
  const buckets =
    speaks === 's3' && bucket !== null && !pathStyle ? own.map((origin) => bucketOrigin(origin, bucket)) : [];
  return new Set([...own, ...buckets, ...also.flatMap((origin) => originOf(origin) ?? [])]);
}

type OriginParts = {
  readonly speaks: string;
  readonly bucket: string | null;
  readonly 'path-style': boolean;
  readonly 'also-trusts': readonly string[];
};

/** Object stores put the bucket before the host name ("Virtual-hosted-style requests"). */
function bucketOrigin(origin: string, bucket: string): string {
  const url = new URL(origin);
  url.hostname = `${bucket}.${url.hostname}`;
  return url.origin;
}
