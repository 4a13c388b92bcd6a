import { quoteShell } from '../../text/quote-shell.ts';
import { type ClientLine, type Offer, tokenVariable } from '../offer.ts';

/** The package by its name and version. */
export function nugetLines({ url, release }: Offer): ClientLine[] {
  const version = release.about.spellings.nuget ?? release.version;
  const text = `dotnet add package ${quoteShell(release.about.name)} --version ${quoteShell(version)} --source ${quoteShell(url)}`;
  return [{ client: 'dotnet', into: 'shell', text }];
}

/** The source, by the destination's name, and a token for it ("nuget.config reference", packageSourceCredentials). */
export function nugetSetUp({ destination, url }: Offer): ClientLine[] {
  // The name of an element, in which a name that begins with a digit or has other letters is escaped.
  const element = destination.replace(
    /^\d|[^A-Za-z0-9._-]/g,
    (letter) => `_x${letter.charCodeAt(0).toString(16).padStart(4, '0')}_`,
  );
  const credentials = [
    '<packageSourceCredentials>',
    `  <${element}>`,
    '    <add key="Username" value="token" />',
    `    <add key="ClearTextPassword" value="%${tokenVariable(destination)}%" />`,
    `  </${element}>`,
    '</packageSourceCredentials>',
  ];
  return [
    {
      client: 'dotnet',
      into: 'shell',
      text: `dotnet nuget add source ${quoteShell(url)} --name ${quoteShell(destination)}`,
    },
    { client: 'dotnet, with a token', into: 'nuget.config', text: credentials.join('\n') },
  ];
}
