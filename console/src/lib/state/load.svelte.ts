// One thing loaded from the service: the last good value stays on screen while the next one comes.
import { Failure } from '../api/client';
import type { Problem } from '../api/types';
import { session } from './session.svelte';

export class Load<T> {
  value = $state<T | null>(null);
  problem = $state<Problem | null>(null);
  busy = $state(false);
  private controller: AbortController | null = null;

  /** Leave what is under way: nobody looks any more. */
  leave(): void {
    this.controller?.abort();
    this.controller = null;
    this.busy = false;
  }

  async run(ask: (signal: AbortSignal) => Promise<T>): Promise<void> {
    this.controller?.abort();
    const controller = new AbortController();
    this.controller = controller;
    this.busy = true;
    try {
      const value = await ask(controller.signal);
      if (this.controller !== controller) return;
      this.value = value;
      this.problem = null;
    } catch (error) {
      if (this.controller !== controller) return;
      if (!(error instanceof Failure)) {
        if (error instanceof DOMException && error.name === 'AbortError') return;
        throw error;
      }
      if (error.problem.code === 'not-signed-in') session.info = null;
      this.problem = error.problem;
    } finally {
      if (this.controller === controller) this.busy = false;
    }
  }
}
