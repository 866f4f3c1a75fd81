// Who is signed in to the console.
import { api, Failure } from '../api/client';
import type { Problem, SessionInfo } from '../api/types';

class Session {
  info = $state<SessionInfo | null>(null);
  checked = $state(false);
  problem = $state<Problem | null>(null);

  async check(): Promise<void> {
    await this.attempt(() => api.session());
    this.checked = true;
  }

  async enter(code: string): Promise<void> {
    await this.attempt(() => api.enter(code));
    this.checked = true;
  }

  async signIn(name: string, password: string): Promise<void> {
    await this.attempt(() => api.signIn(name, password));
  }

  async signOut(): Promise<void> {
    try {
      await api.signOut();
    } finally {
      this.info = null;
    }
  }

  private async attempt(ask: () => Promise<SessionInfo>): Promise<void> {
    try {
      const info = await ask();
      this.info = info.account ? info : null;
      this.problem = null;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      this.problem = error.problem;
    }
  }
}

export const session = new Session();
