// What is proven of rulebooks: each question is a job, which waits for those before it and is left when nobody looks any more.
import { call, Failure } from './caller';
import type { AboutResult, CheckUp, IdleResult, Job, MeaningResult, ProofQuestion, ProofResult, Side } from './types';

const FIRST_LOOK = 40;
const LAST_LOOK = 500;
const ENDED = ['done', 'failed', 'cancelled'];

async function ask<T>(question: ProofQuestion, signal?: AbortSignal): Promise<T> {
  let job = await call<Job>('POST', '/api/v1/rulebook/proofs', question, signal);
  const path = `/api/v1/rulebook/proofs/${job.id}`;
  // Told without waiting: whoever left looks at something else by now, and a question that has ended is no loss.
  const leave = () => void call('DELETE', path).catch(() => undefined);
  signal?.addEventListener('abort', leave);
  try {
    for (let wait = FIRST_LOOK; !ENDED.includes(job.state); wait = Math.min(2 * wait, LAST_LOOK)) {
      await new Promise((looked) => setTimeout(looked, wait));
      signal?.throwIfAborted();
      job = await call<Job>('GET', path, undefined, signal);
    }
  } finally {
    signal?.removeEventListener('abort', leave);
  }
  if (job.problem) throw new Failure(job.problem);
  if (job.state === 'cancelled') throw new Failure({ title: 'This question was left before it was answered.', status: 409, code: 'cancelled' });
  return job.result as T;
}

export const proofs = {
  guarantees: (side: Partial<Side>, signal?: AbortSignal, guarantee = '') => ask<ProofResult>({ prove: { side, guarantee } }, signal),
  idle: (side: Partial<Side>, signal?: AbortSignal) => ask<IdleResult>({ idle: { side } }, signal),
  checkUp: (side: Partial<Side>, sensitive: string[], signal?: AbortSignal) => ask<CheckUp>({ 'check-up': { side, sensitive } }, signal),
  about: (person: string, app: string, signal?: AbortSignal) => ask<AboutResult>({ about: { person, app } }, signal),
  adds: (policy: string, signal?: AbortSignal) => ask<MeaningResult>({ adds: { policy } }, signal),
  /** What differs between two rulebooks; or what one object, or one rule, changes by itself. */
  meaning: (before: Partial<Side>, after: Partial<Side>, signal?: AbortSignal, only = '') => ask<MeaningResult>({ meaning: { before, after, only } }, signal),
};
