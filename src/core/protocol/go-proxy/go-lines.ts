import { quoteShell } from '../../text/quote-shell.ts';
import { type ClientLine, type Offer, offeredPackages } from '../offer.ts';

/** The requirement; and the lines of go.sum that make the client take these bytes and no others. */
export function goLines(offer: Offer): ClientLine[] {
  const { release } = offer;
  const { name } = release.about;
  const version = `v${release.version}`;
  const sums = offeredPackages(offer).flatMap(({ record }) => {
    const { h1, 'h1-mod': mod } = record.hashes ?? {};
    return h1 === undefined || mod === undefined
      ? []
      : [`${name} ${version} ${h1}`, `${name} ${version}/go.mod ${mod}`];
  });
  return [
    { client: 'go', into: 'shell', text: `go get ${quoteShell(`${name}@${version}`)}` },
    ...(sums.length === 0 ? [] : [{ client: 'go', into: 'go.sum', text: sums.join('\n') }]),
  ];
}

/** A variable in an address is for the shell to fill in. */
function shellAddress(url: string): string {
  return url.includes('${') ? `"${url}"` : quoteShell(url);
}

/**
 * The proxy in front of the ones that are configured. The checksum database knows only modules that the public proxy has seen, so
 * it is not asked for this one.
 */
export function goSetUp({ url, release }: Offer): ClientLine[] {
  const lines = [
    `go env -w GOPROXY=${shellAddress(url.replace(/\/$/, ''))},"$(go env GOPROXY)"`,
    `go env -w GONOSUMDB=${quoteShell(release.about.name)}`,
  ];
  return [{ client: 'go', into: 'shell', text: lines.join('\n') }];
}
