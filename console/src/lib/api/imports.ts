// What was taken into the log, import by import.
import { call } from './caller';
import type { ImportList, Job } from './types';

export const imports = {
  list: (signal?: AbortSignal) => call<ImportList>('GET', '/api/v1/imports', undefined, signal),
  takeBack: (number: number) => call<Job>('POST', `/api/v1/jobs/take-back?import=${number}`),
};
