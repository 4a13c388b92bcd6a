/** Clients that can install what was delivered. `fetch` downloads a file and unpacks it. */
export const trialClients = ['npm', 'pip', 'maven', 'dotnet', 'cargo', 'go', 'fetch'] as const;

/** One of the clients. */
export type TrialClient = (typeof trialClients)[number];
