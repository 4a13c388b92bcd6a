import { fetchAndCheck, installLines } from '../fetch-lines.ts';
import { type ClientLine, type Offer, offeredPackages } from '../offer.ts';
import { artifactManifest } from './oci.ts';

/** Every artifact by the digest of its manifest: such a reference can't lead to other bytes later. */
export function ociLines(offer: Offer): ClientLine[] {
  const { about, version, package: packageName } = offer.release;
  return offeredPackages(offer).flatMap(({ address, record }): ClientLine[] => {
    const [, host = '', repository = ''] = /^https?:\/\/([^/]+)\/v2\/(.+)\/blobs\//.exec(address) ?? [];
    const { file: fileName, size: sizeBytes, sha256, form, platform } = record;
    const file = { fileName, sizeBytes, sha256, form, platform, packageName, version, sourceTime: about.sourceTime };
    const { digest } = artifactManifest(file, null).descriptor;
    return [
      { client: 'oci', into: 'reference', text: `${host}/${repository}@${digest}` },
      { client: 'curl', into: 'shell', text: fetchAndCheck(address.split('#')[0] ?? '', record).join('\n') },
      ...installLines(record),
    ];
  });
}
