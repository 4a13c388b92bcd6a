/** Clients that can install what was delivered. `fetch` downloads a file and unpacks it, `git` clones a tag. */
export const trialClients = ['npm', 'pip', 'maven', 'dotnet', 'cargo', 'go', 'git', 'fetch'] as const;

/** One of the clients. */
export type TrialClient = (typeof trialClients)[number];
