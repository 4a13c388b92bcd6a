/**
 * What a page that this program writes may do: nothing but look as it does (Content Security Policy Level 3). It stands in a
 * meta element, since a file has no headers.
 */
export const pagePolicy = "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'";

/** The element for the head of a page. It comes before everything else that the policy is about. */
export const policyElement = `<meta http-equiv="Content-Security-Policy" content="${pagePolicy}">`;
