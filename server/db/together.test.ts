import { describe, expect, it } from 'vitest';
import { together } from './together.ts';

const later = (ms = 5): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

describe('things done together', () => {
  it('alone at once; what comes meanwhile goes in the next statement, each with its own result', async () => {
    const batches: number[][] = [];
    const double = together<number, number>(async (items) => {
      batches.push(items);
      await later();
      return items.map((n) => 2 * n);
    }, 1);
    const first = double(1);
    await later(1);
    expect(await Promise.all([first, ...[2, 3, 4].map(double)])).toEqual([2, 4, 6, 8]);
    expect(batches).toEqual([[1], [2, 3, 4]]);
  });

  it('one bad value fails alone', async () => {
    const careful = together<number, number>((items) =>
      items.includes(13) ? Promise.reject(new Error('thirteen')) : Promise.resolve(items)
    );
    const results = await Promise.allSettled([1, 13, 2].map(careful));
    expect(results.map((r) => r.status)).toEqual(['fulfilled', 'rejected', 'fulfilled']);
  });

  it('what is nobody’s fault is not asked again for each', async () => {
    let runs = 0;
    const away = together<number, number>(() => {
      runs++;
      return Promise.reject(Object.assign(new Error('away'), { code: '57P01' }));
    });
    const results = await Promise.allSettled([1, 2, 3].map(away));
    expect([results.every((r) => r.status === 'rejected'), runs]).toEqual([true, 1]);
    await expect(away(4)).rejects.toThrow('away');
  });

  it('takes no more than so many at once, and goes on', async () => {
    const sizes: number[] = [];
    const all = together<number, number>(
      async (items) => {
        sizes.push(items.length);
        await later(1);
        return items;
      },
      1,
      10
    );
    expect(await Promise.all(Array.from({ length: 25 }, (_, i) => all(i)))).toHaveLength(25);
    expect(sizes).toEqual([10, 10, 5]);
  });
});
