// One condition or effect as text and as rows: whichever is changed, the other follows.
import { api, Failure } from '../../../lib/api/client';
import type { Diagnostic, Piece, Understood } from '../../../lib/api/types';

/** A condition or requirement as the service describes it. */
export interface Tree {
  kind: string;
  parts?: Tree[];
  test?: string;
  fact?: string;
  op?: string;
  values?: string[];
  item?: string;
  name?: string;
  within?: string;
}
export interface EffectTree {
  effect: string;
  formula: Tree | null;
}

const AFTER = 120;

export class Understanding<T> {
  text = $state('');
  tree = $state<T | null>(null);
  problems = $state<Diagnostic[]>([]);
  words = $state<Piece[]>([]);
  /** What the rows lack, in words; empty when they are complete. */
  lacking = $state('');
  /** Whether the rows say what the text says. */
  current = $state(true);
  private timer: ReturnType<typeof setTimeout> | undefined;
  private controller: AbortController | null = null;

  constructor(
    private readonly kind: 'condition' | 'effect',
    private readonly draft: string,
    private readonly only: string,
    private readonly say: (text: string) => void,
  ) {}

  /** Take a text from outside: only when it is another one. */
  given(text: string): void {
    if (text === this.text && this.tree) return;
    this.text = text;
    if (text.trim()) void this.ask({ text });
    else this.empty();
  }

  typed(text: string): void {
    this.text = text;
    this.current = false;
    this.say(text);
    clearTimeout(this.timer);
    if (!text.trim()) return this.empty();
    this.timer = setTimeout(() => void this.ask({ text }), AFTER);
  }

  /** Rows were changed; the text follows once they are complete. */
  changed(tree: T | null): void {
    this.tree = tree;
    clearTimeout(this.timer);
    if (tree === null) {
      this.empty();
      this.text = '';
      this.say('');
    } else void this.ask({ tree: $state.snapshot(tree) });
  }

  private empty(): void {
    this.controller?.abort();
    this.tree = null;
    this.problems = [];
    this.words = [];
    this.lacking = '';
    this.current = true;
  }

  private async ask(what: { text: string } | { tree: unknown }): Promise<void> {
    this.controller?.abort();
    const controller = (this.controller = new AbortController());
    let found: Understood;
    try {
      found = await api.understand({ kind: this.kind, draft: this.draft, only: this.only, ...what }, controller.signal);
    } catch (error) {
      if (error instanceof DOMException && error.name === 'AbortError') return;
      if (!(error instanceof Failure)) throw error;
      if (this.controller === controller) this.lacking = error.problem.title;
      return;
    }
    if (this.controller !== controller) return;
    this.lacking = '';
    this.problems = found.problems;
    this.words = found.words;
    if ('tree' in what) {
      this.text = found.text;
      this.say(found.text);
      this.current = true;
    } else {
      this.current = found.tree !== null;
      if (found.tree) this.tree = found.tree as T;
    }
  }
}
