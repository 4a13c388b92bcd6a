import { quoteShell } from '../../text/quote-shell.ts';
import type { ClientLine, Offer } from '../offer.ts';

/** The package by its name and version. */
export function nugetLines({ url, release }: Offer): ClientLine[] {
  const version = release.about.spellings.nuget ?? release.version;
  const text = `dotnet add package ${quoteShell(release.about.name)} --version ${quoteShell(version)} --source ${quoteShell(url)}`;
  return [{ client: 'dotnet', into: 'shell', text }];
}

/** The source, by the destination's name. */
export function nugetSetUp({ destination, url }: Offer): ClientLine[] {
  return [
    {
      client: 'dotnet',
      into: 'shell',
      text: `dotnet nuget add source ${quoteShell(url)} --name ${quoteShell(destination)}`,
    },
  ];
}
