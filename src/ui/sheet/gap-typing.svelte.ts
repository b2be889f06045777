/** The wait of a gap while it is typed: what is typed, what is wrong with it, and what becomes of it. */
import { readGapText } from '$core/edit/gap-text.ts';
import type { TypedAround } from '$core/edit/typed-until.ts';
import type { Gap } from '$core/sheet/layout.ts';
import type { Editor } from './editor.svelte.ts';

export class GapTyping {
  text = $state('');
  private at = $state.raw<{ lane: string; index: number } | null>(null);
  private wrong = $state('');

  constructor(
    private readonly editor: () => Editor,
    private readonly around: () => TypedAround
  ) {}

  get open(): boolean {
    return this.at !== null;
  }

  /** What is wrong with what is typed into a gap, if anything; `null` while it is not that gap which is typed into. */
  problemOf(gap: Gap): string | null {
    return this.at?.index === gap.index && this.at.lane === gap.lane.join('.') ? this.wrong : null;
  }

  begin(gap: Gap, text: string): void {
    this.editor().selection = { at: 'gap', lane: gap.lane, index: gap.index };
    this.at = { lane: gap.lane.join('.'), index: gap.index };
    this.wrong = '';
    this.text = text;
  }

  /** Takes what was typed, and says where the gap stands then; `null` where it cannot be read: it stays to be mended. */
  take(gap: Gap): { lane: Gap['lane']; index: number } | null {
    if (!this.at) return null;
    const read = readGapText(this.text, gap.before, this.around());
    if ('problem' in read) {
      this.wrong = read.problem;
      return null;
    }
    this.editor().apply({ edit: 'waits', lane: gap.lane, index: gap.index, waits: read.waits });
    this.at = null;
    return { lane: gap.lane, index: gap.index - gap.waits.length + read.waits.length };
  }

  leave(): void {
    this.at = null;
  }
}
