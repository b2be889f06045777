import type { User } from '../server/access/sessions.ts';

declare global {
  namespace App {
    interface Locals {
      user: User | null;
    }
    interface Error {
      message: string;
      /** What to do about it, where there is something to do. */
      hint?: string;
    }
  }
}

export {};
