import { describe, expect, it, vi } from 'vitest';
import { replays } from '../src/lib/api/replays';
import type { Job } from '../src/lib/api/types';
import { follow } from '../src/lib/state/job';

const job = (state: string, done = 0): Job => ({ id: 'j', kind: 'replay', state, done, total: 2, unit: 'x', by: 'me', began: '' });

describe('follow', () => {
  it('looks until the job has ended', async () => {
    vi.useFakeTimers();
    vi.spyOn(replays, 'job').mockResolvedValueOnce(job('running', 1)).mockResolvedValueOnce(job('done', 2));
    const seen: number[] = [];
    const ended = follow(job('waiting'), (each) => seen.push(each.done), () => true);
    await vi.runAllTimersAsync();
    expect((await ended)?.state).toBe('done');
    expect(seen).toEqual([0, 1, 2]);
    vi.useRealTimers();
  });

  it('tells nothing of a job that is not wanted any more', async () => {
    vi.useFakeTimers();
    let wanted = true;
    vi.spyOn(replays, 'job').mockImplementation(async () => {
      wanted = false;
      return job('running', 1);
    });
    const seen: number[] = [];
    const ended = follow(job('waiting'), (each) => seen.push(each.done), () => wanted);
    await vi.runAllTimersAsync();
    expect(await ended).toBeNull();
    expect(seen).toEqual([0]);
    vi.useRealTimers();
  });
});
