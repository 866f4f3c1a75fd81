// What can be asked of replays.
import { call, send } from './caller';
import type { Job, Letters, Replayed, ReplayRequest, ReplayResult } from './types';

/** A sign-in that comes out otherwise, as a line of a replay. */
export interface ReplayedSignin {
  id: string;
  person: string | null;
  device: string | null;
  from: string;
  to: string;
  because: { policy: string; rule: string }[];
}

const path = (job: string) => `/api/v1/replays/${encodeURIComponent(job)}`;

export const replays = {
  start: (request: ReplayRequest) => call<Job>('POST', '/api/v1/replays', request),
  result: (job: string, signal?: AbortSignal) => call<ReplayResult>('GET', path(job), undefined, signal),
  /** The first of the sign-ins that come out otherwise. */
  changed: async (job: string, most: number): Promise<ReplayedSignin[]> => {
    const answer = await send('GET', `${path(job)}/changed`);
    const lines = (await answer.text()).split('\n', most).filter(Boolean);
    return lines.map((line) => JSON.parse(line) as ReplayedSignin);
  },
  letters: (job: string, template: string, person: string) => call<Letters>('POST', `${path(job)}/letters`, { template, person }),
  ofDraft: (draft: string, signal?: AbortSignal) => call<Replayed>('GET', `/api/v1/drafts/${encodeURIComponent(draft)}/replay`, undefined, signal),
  cancel: (job: string) => call<Job>('DELETE', path(job)),
  job: (id: string, signal?: AbortSignal) => call<Job>('GET', `/api/v1/jobs/${encodeURIComponent(id)}`, undefined, signal),
};
