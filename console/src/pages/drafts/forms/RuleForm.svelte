<script lang="ts">
  // One rule: when, then, what a person is told, and how long it lasts.
  import { tick } from 'svelte';
  import type { Diagnostic } from '../../../lib/api/types';
  import type { Language } from '../language.svelte';
  import ConditionEditor from './ConditionEditor.svelte';
  import EffectEditor from './EffectEditor.svelte';

  type Rule = Record<string, unknown>;
  let { rule, path, number, language, problems, set }: { rule: Rule; path: string; number: number; language: Language; problems: Diagnostic[]; set: (rule: Rule) => void } = $props();
  const text = (key: string) => (typeof rule[key] === 'string' ? (rule[key] as string) : '');
  const keep = $derived((rule.keep ?? {}) as Record<string, string>);
  const mine = $derived(problems.filter((found) => found.path?.startsWith(path) && !/\.(when|then)$/.test(found.path)));
  let tell = $state<HTMLTextAreaElement>();
  const WORDS = ['{app}', '{contact}', '{fixes}', '{reference}'];

  function put(key: string, to: unknown): void {
    const { [key]: _, ...rest } = rule;
    const empty = to === '' || (typeof to === 'object' && to !== null && !Object.keys(to).length);
    set(empty ? rest : { ...rule, [key]: to });
  }
  function limit(key: string, to: string): void {
    const { [key]: _, ...rest } = keep;
    put('keep', to ? { ...keep, [key]: to } : rest);
  }
  function insert(word: string): void {
    const at = tell?.selectionStart ?? text('tell').length;
    put('tell', `${text('tell').slice(0, at)}${word}${text('tell').slice(at)}`);
    void tick().then(() => {
      tell?.focus();
      tell?.setSelectionRange(at + word.length, at + word.length);
    });
  }
</script>

<div class="grid grid-cols-[minmax(0,1fr)] gap-2 pl-1">
  <div><p class="text-fine font-semibold text-muted">When</p>
    <ConditionEditor id="{path}.when" label="Condition of rule {number}" {language} text={text('when')} set={(said) => put('when', said)} /></div>
  <div><p class="text-fine font-semibold text-muted">Then</p>
    <EffectEditor id="{path}.then" label="What rule {number} does" {language} text={text('then')} set={(said) => put('then', said)} /></div>
  <div>
    <label class="text-fine font-semibold text-muted" for="{path}.tell">What somebody is told whom it stops</label>
    <textarea bind:this={tell} id="{path}.tell" class="field min-h-12 resize-y py-1" rows="2" maxlength="500" value={text('tell')} oninput={(event) => put('tell', event.currentTarget.value)}></textarea>
    <p class="flex flex-wrap gap-2 text-fine">{#each WORDS as word (word)}<button type="button" class="font-mono text-accent underline underline-offset-3" onclick={() => insert(word)}>{word}</button>{/each}</p>
  </div>
  <details>
    <summary class="text-fine text-muted">Link, limits, id and title</summary>
    {#each [['link', 'Link for those stopped', 'https://help.kelpline.example/enrol'], ['id', 'Id', 'not-ours'], ['title', 'Title', ''], ['note', 'Note', '']] as [key, label, hint] (key)}
      <label class="grid items-start gap-x-3 py-0.5 text-small sm:grid-cols-[10rem_minmax(0,1fr)]"><span class="pt-1">{label}</span>
        <input class="field" value={text(key ?? '')} placeholder={hint} oninput={(event) => put(key ?? '', event.currentTarget.value)} /></label>
    {/each}
    {#each [['session_at_most', 'Session at most', '12h'], ['idle_at_most', 'Idle at most', '30m'], ['end_with_browser', 'Ends with the browser', 'yes']] as [key, label, hint] (key)}
      <label class="grid items-start gap-x-3 py-0.5 text-small sm:grid-cols-[10rem_minmax(0,1fr)]"><span class="pt-1">{label}</span>
        <input class="field" value={keep[key ?? ''] ?? ''} placeholder={hint} onchange={(event) => limit(key ?? '', event.currentTarget.value.trim())} /></label>
    {/each}
  </details>
  {#each mine as found, i (i)}<p class="text-fine {found.severity === 'warning' ? 'text-challenged' : 'text-blocked'}">{found.message}{found.hint ? ` — ${found.hint}` : ''}</p>{/each}
</div>
