import type { ArtifactRecord, ReleaseRecord } from '../../src/core/record/release-record.ts';
import type { Destination } from '../../src/destination/destination.ts';
import type { Shipment } from '../../src/flow/deliver/deliver.ts';
import type { Parcel } from '../../src/store/parcel.ts';

/** Parcels of one release on their way to a destination that said it has none of them. */
export function shipmentOf(destination: Destination, parcels: readonly Parcel[], confirmForMs = 8000): Shipment {
  const [first] = parcels;
  const record = { package: first?.packageName, name: first?.name, version: first?.version } as ReleaseRecord;
  return {
    release: { folder: '', record },
    destination,
    confirmForMs,
    confirm: 'now',
    deliveries: parcels.map((parcel) => ({ artifact: artifactOf(parcel), parcel, presence: { type: 'absent' } })),
    trouble: null,
  };
}

function artifactOf({ fileName, form, platform, sizeBytes, sha1, sha256, sha512 }: Parcel): ArtifactRecord {
  return { file: fileName, form, platform, size: sizeBytes, sha1, sha256, sha512, contentDigest: '', entries: 1 };
}
