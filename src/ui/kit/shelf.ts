/** What is kept in the browser beside a page: as JSON, and never a reason for the page to fail. */

/** Keeps a value. False where the browser has no room for it, or lets nothing be kept. */
export function put(name: string, value: unknown): boolean {
  try {
    localStorage.setItem(name, JSON.stringify(value));
    return true;
  } catch {
    return false;
  }
}

/** What was kept; `null` where nothing was, or nothing that can be read. */
export function take<T>(name: string): T | null {
  try {
    return JSON.parse(localStorage.getItem(name) ?? 'null') as T | null;
  } catch {
    return null;
  }
}

export function clear(name: string): void {
  try {
    localStorage.removeItem(name);
  } catch {
    // Where nothing may be kept, nothing is there.
  }
}
