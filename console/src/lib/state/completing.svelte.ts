// What can be typed next in a text: the words that go on from, or hold, what is being typed.
export interface Word {
  word: string;
  says: string;
}

export interface Words {
  /** What can come next after a text; null when that is not known. */
  next(before: string, kind: string): Word[] | null | Promise<Word[] | null>;
}

const MOST = 12;

export class Completing {
  words = $state<Word[]>([]);
  at = $state(0);
  readonly open = $derived(this.words.length > 0);
  readonly chosen = $derived(this.words[this.at]?.word ?? '');

  constructor(
    private readonly source: Words,
    private readonly kind = 'condition',
  ) {}

  word(text: string, at: number): { start: number; typed: string; before: string } {
    const typed = /[\w./:@+-]*$/.exec(text.slice(0, at))?.[0] ?? '';
    return { start: at - typed.length, typed, before: text.slice(0, at - typed.length) };
  }

  async suggest(text: string, at: number, eager = false): Promise<void> {
    const { typed, before } = this.word(text, at);
    const from = (await this.source.next(before, this.kind)) ?? [];
    const starts = from.filter(({ word }) => word.startsWith(typed) && word !== typed);
    const holds = from.filter(({ word }) => !word.startsWith(typed) && word.includes(typed));
    // Before anything is typed only a short list helps; a long one is in the way.
    this.words = typed || eager || from.length <= MOST ? [...starts, ...holds].slice(0, MOST) : [];
    this.at = 0;
  }

  /** The text with the chosen word in place of what was typed, and where typing goes on. */
  picked(text: string, at: number, word: string): { text: string; at: number } {
    const { start } = this.word(text, at);
    this.close();
    return { text: `${text.slice(0, start)}${word} ${text.slice(at).trimStart()}`, at: start + word.length + 1 };
  }

  move(by: number): void {
    this.at = (this.at + by + this.words.length) % this.words.length;
  }

  /** What a key does to the open list: true when it is done with. A chosen word goes to `pick`. */
  key(event: KeyboardEvent, pick: (word: string) => void, picking = ['Enter']): boolean {
    if (!this.open) return false;
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') this.move(event.key === 'ArrowDown' ? 1 : -1);
    else if (picking.includes(event.key)) pick(this.chosen);
    else if (event.key === 'Escape') {
      event.stopPropagation();
      this.close();
      return true;
    } else return false;
    event.preventDefault();
    return true;
  }

  close(): void {
    this.words = [];
  }
}
