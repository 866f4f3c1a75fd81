// What can be asked of limits: which a rulebook has, what each choice of one comes to, and moving it.
import { call, changed } from './caller';
import type { Job, LimitList, ObjectSaved, Side, Tightening, TighteningRequest } from './types';

export const limits = {
  of: (side: Side, signal?: AbortSignal) => call<LimitList>('POST', '/api/v1/limits', side, signal),
  start: (request: TighteningRequest) => call<Job>('POST', '/api/v1/tightenings', request),
  result: (job: string) => call<Tightening>('GET', `/api/v1/tightenings/${encodeURIComponent(job)}`),
  cancel: (job: string) => call<Job>('DELETE', `/api/v1/tightenings/${encodeURIComponent(job)}`),
  move: (draft: string, version: number, limit: string, value: string) =>
    changed<ObjectSaved>(`/api/v1/drafts/${encodeURIComponent(draft)}/limits`, version, { limit, value }),
};
