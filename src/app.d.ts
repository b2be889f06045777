import type { User } from '../server/access/sessions.ts';

declare global {
  namespace App {
    interface Locals {
      user: User | null;
      /** Set when something of this request failed because the database is away. */
      databaseAway?: boolean;
    }
    interface Error {
      message: string;
      /** What to do about it, where there is something to do. */
      hint?: string;
    }
  }
}

export {};
