// Beginning to change something that is published: a draft of its own, or the one that was begun for it before.
import { push } from 'svelte-spa-router';
import { api, Failure } from '../api/client';

export async function change(path: string): Promise<void> {
  const id = path.slice(path.indexOf('.') + 1).replace(/[^a-z0-9-]+/g, '-').slice(0, 48);
  const there = new Map((await api.drafts()).items.map((draft) => [draft.name, draft]));
  let name = `change-${id}`;
  for (let i = 2; there.get(name)?.discarded; i++) name = `change-${id}-${i}`;
  if (!there.has(name)) {
    try {
      await api.beginDraft(name);
    } catch (error) {
      // Somebody else has begun it this moment: it is theirs and ours.
      if (!(error instanceof Failure && error.problem.code === 'draft-exists')) throw error;
    }
  }
  await push(`/drafts/${name}/${path}`);
}
