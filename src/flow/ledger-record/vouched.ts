import type { DestinationConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerDelivery, LedgerRelease } from '../../core/ledger/fold.ts';
import { isRemote } from '../../core/name/protocol.ts';
import { protocolDefinitions } from '../../core/protocol/definitions.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import type { Context } from '../context.ts';
import { standingDeliveries } from '../release-folder/recorded-release.ts';
import { resolveUrl } from '../workspace/resolve-url.ts';
import { originsFor } from '../workspace/trust.ts';

/** A delivery with the artifact that its tag vouches for. */
export type VouchedDelivery = LedgerDelivery & { readonly record: ArtifactRecord };

/**
 * The deliveries of a release at a destination, of artifacts that its tag vouches for, at addresses of that very destination.
 * Anyone who can push a ref can write everything else in the ledger.
 */
export function vouchedDeliveries(
  context: Context,
  {
    release,
    name,
    config,
  }: { readonly release: LedgerRelease; readonly name: string; readonly config: DestinationConfig },
): VouchedDelivery[] {
  if (!release.isVouched) return [];
  const standing = standingDeliveries(release).get(name) ?? [];
  return vouchedArtifacts(release).flatMap((record) => {
    const found = standing.find(({ artifact }) => artifact === record.file);
    const isUsed =
      found !== undefined &&
      !found.isContradicted &&
      found.sha256 === record.sha256 &&
      isAddressOf(context, { name, config, address: found.address });
    return isUsed ? [{ ...found, record }] : [];
  });
}

/** Artifacts with the bytes that were planned; for those built again later no tag vouches. */
export function vouchedArtifacts({ artifacts, replanned }: LedgerRelease): ArtifactRecord[] {
  return artifacts.filter(({ file }) => !replanned.includes(file));
}

/** Whether an address on record belongs to a destination as it is configured. */
function isAddressOf(
  context: Context,
  { name, config, address }: { readonly name: string; readonly config: DestinationConfig; readonly address: string },
): boolean {
  // The folder itself refuses everything that is not below it.
  if (!isRemote(config))
    return !/^[a-z][a-z0-9+.-]*:\/\//i.test(resolveUrl(context, name, config.url)) && address.startsWith('/');
  // Where a release is follows from the configuration and its name: no address on record is used.
  if (protocolDefinitions[config.speaks].usesGit) return true;
  return URL.canParse(address) && originsFor(context, name, config).has(new URL(address).origin);
}

/** Why a release's record cannot be used: nothing but the ledger says what it consists of. */
export function whyUnverified({ tag }: LedgerRelease): string {
  return `the tag ${tag} of this clone does not name this plan, and anyone who can push a ref can write to the ledger`;
}

/** @throws PLAN_UNVERIFIED unless the release's tag vouches for its plan. */
export function requireVouched(release: LedgerRelease, fix: string): void {
  if (release.isVouched) return;
  throw new BevelstoneError('PLAN_UNVERIFIED', {
    message: `the ledger entry of ${release.package} ${release.version} cannot be verified`,
    why: whyUnverified(release),
    fix,
  });
}
