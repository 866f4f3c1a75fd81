// Sign-ins as they arrive: asked for every two seconds while somebody looks; what is new is told from what was there.
import { api, Failure } from '../../lib/api/client';
import type { SigninSummary } from '../../lib/api/types';

const EVERY = 2_000;

export class Live {
  on = $state(false);
  fresh = $state<ReadonlySet<string>>(new Set());
  private seen = '';
  private timer: ReturnType<typeof setInterval> | undefined;

  /** Begin or end; `arrived` gets the sign-ins that are new, `all` when more came than a page holds. */
  toggle(filters: () => Record<string, string>, known: () => SigninSummary[], arrived: (items: SigninSummary[], all: boolean) => void): void {
    this.stop();
    this.on = !this.on;
    this.fresh = new Set();
    if (!this.on) return;
    const look = async (): Promise<void> => {
      if (document.hidden) return;
      try {
        const found = await api.newest({ ...filters(), counts: 'no' }, this.seen);
        this.seen = found.seen;
        if (!this.on || !found.page) return;
        const there = new Set(known().map((item) => item.id));
        const items = found.page.items.filter((item) => !there.has(item.id));
        this.fresh = new Set(items.map((item) => item.id));
        if (items.length) arrived(items, items.length === found.page.items.length);
      } catch (error) {
        // The next look tells whether it lasts; the page itself says what is wrong when it is loaded.
        if (!(error instanceof Failure)) throw error;
      }
    };
    this.seen = '';
    this.timer = setInterval(() => void look(), EVERY);
    void look();
  }

  stop(): void {
    clearInterval(this.timer);
  }
}
