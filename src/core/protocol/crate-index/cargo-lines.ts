import { type ClientLine, type Offer, offeredPackages, tokenVariable } from '../offer.ts';

/** A dependency on exactly this release, and the entry of a lockfile that makes the client check its bytes. */
export function cargoLines(offer: Offer): ClientLine[] {
  const { destination, url, release } = offer;
  const { name } = release.about;
  const dependency = `${name} = { version = "=${release.version}", registry = "${registryName(destination)}" }`;
  return [
    { client: 'cargo', into: 'Cargo.toml, dependencies', text: dependency },
    ...offeredPackages(offer).map(({ sha256 }) => ({
      client: 'cargo',
      into: 'Cargo.lock',
      text: [
        '[[package]]',
        `name = "${name}"`,
        `version = "${release.version}"`,
        `source = "sparse+${url}"`,
        `checksum = "${sha256}"`,
      ].join('\n'),
    })),
  ];
}

/** The registry by its name, and a token for it from the environment ("Registry Authentication", `cargo:token`). */
export function cargoSetUp({ destination, url }: Offer): ClientLine[] {
  const name = registryName(destination);
  const variable = `CARGO_REGISTRIES_${name.toUpperCase().replaceAll('-', '_')}_TOKEN`;
  return [
    { client: 'cargo', into: '.cargo/config.toml', text: `[registries.${name}]\nindex = "sparse+${url}"` },
    { client: 'cargo, with a token', into: 'shell', text: `export ${variable}="$${tokenVariable(destination)}"` },
  ];
}

/** The destination's name as that of a registry: letters, digits, `-` and `_`. */
export function registryName(destination: string): string {
  return destination.replace(/[^A-Za-z0-9_-]/g, '-');
}
