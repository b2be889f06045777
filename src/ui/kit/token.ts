/** The value of a colour of the theme, for what is drawn on a canvas: `token('--ink')`. In the browser only. */
export const token = (name: `--${string}`): string =>
  getComputedStyle(document.documentElement).getPropertyValue(name).trim();
