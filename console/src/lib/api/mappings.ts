// How logs of other systems are read, and taking them in.
import { call } from './caller';
import type { Job, LogMapping, MappingList, MappingTrial } from './types';

const path = (name: string) => `/api/v1/mappings/${encodeURIComponent(name)}`;

export const mappings = {
  list: (signal?: AbortSignal) => call<MappingList>('GET', '/api/v1/mappings', undefined, signal),
  keep: (name: string, mapping: LogMapping) => call<MappingList>('PUT', path(name), mapping),
  remove: (name: string) => call<MappingList>('DELETE', path(name)),
  try: (text: string, format: string, mapping: LogMapping | null, signal?: AbortSignal) =>
    call<MappingTrial>('POST', '/api/v1/mappings/try', { text, format, mapping }, signal),
  takeIn: (file: File, format: string, mapping: string) => call<Job>('POST', `/api/v1/jobs/import?${new URLSearchParams({ format, mapping, name: file.name }).toString()}`, file),
};
