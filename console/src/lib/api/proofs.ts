// What is proven of rulebooks.
import { call } from './caller';
import type { AboutResult, CheckUp, IdleResult, MeaningResult, ProofResult, Side } from './types';

const post = <T>(path: string, body: unknown, signal?: AbortSignal) => call<T>('POST', `/api/v1/rulebook/${path}`, body, signal);

export const proofs = {
  guarantees: (side: Partial<Side>, signal?: AbortSignal) => post<ProofResult>('prove', { side }, signal),
  idle: (side: Partial<Side>, signal?: AbortSignal) => post<IdleResult>('idle', { side }, signal),
  checkUp: (side: Partial<Side>, sensitive: string[], signal?: AbortSignal) => post<CheckUp>('check-up', { side, sensitive }, signal),
  about: (person: string, app: string, signal?: AbortSignal) => post<AboutResult>('about', { person, app }, signal),
  adds: (policy: string, signal?: AbortSignal) => post<MeaningResult>('adds', { policy }, signal),
  meaning: (before: Partial<Side>, after: Partial<Side>, signal?: AbortSignal) => post<MeaningResult>('meaning', { before, after }, signal),
};
