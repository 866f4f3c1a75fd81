// What can be asked of the watch page.
import { call } from './caller';
import type { SetAsideRequest, ShadowPolicyList, Watch } from './types';

export const watching = {
  look: (signal?: AbortSignal) => call<Watch>('GET', '/api/v1/watch', undefined, signal),
  shadowPolicies: (signal?: AbortSignal) => call<ShadowPolicyList>('GET', '/api/v1/watch/shadow-policies', undefined, signal),
  setAside: (request: SetAsideRequest) => call<Watch>('POST', '/api/v1/watch/set-aside', request),
};
