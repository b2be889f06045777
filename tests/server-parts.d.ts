/** By part of the server, the parts it may read: from the table of docs/architecture.md. */
export const serverParts: (text: string) => Map<string, string[]>;
