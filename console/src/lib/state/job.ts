// A job followed until it has ended, or nobody looks any more.
import { replays } from '../api/replays';
import type { Job } from '../api/types';

const LOOK_EVERY = 400;

export const ended = (job: Job): boolean => ['done', 'failed', 'cancelled'].includes(job.state);

/** Look at a job again and again; null when it is not wanted any more, of which nothing is told then. */
export async function follow(job: Job, look: (job: Job) => void, wanted: () => boolean): Promise<Job | null> {
  while (wanted()) {
    look(job);
    if (ended(job)) return job;
    await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY));
    if (wanted()) job = await replays.job(job.id);
  }
  return null;
}
