/** One measured figure beside its reference. */
export interface Row {
  name: string;
  ours: number;
  /** Measured in the same run on the same machine. */
  reference: number;
  ratio: number;
  /** What the ratio should reach, in words: ">= 0.5". */
  target: string;
  unit: string;
}

export type Benchmark = (say: (line: string) => void) => Promise<Row[]>;

/** The middle one of some measurements. */
export function median(values: number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)] ?? NaN;
}
