<script lang="ts">
  // The rules of a policy in their order: the first that holds speaks. Moved by mouse, or with the buttons and Alt with arrows.
  import type { Diagnostic } from '../../../lib/api/types';
  import type { Language } from '../language.svelte';
  import RuleForm from './RuleForm.svelte';

  type Rule = Record<string, unknown>;
  let { rules, path, language, problems, set }: { rules: Rule[]; path: string; language: Language; problems: Diagnostic[]; set: (rules: Rule[]) => void } = $props();
  let dragged = $state<number | null>(null);
  let over = $state<number | null>(null);
  // Rules are told apart by what they were when they came, so that typing does not make another of them.
  let keys = $state<number[]>([]);
  let next = 0;
  $effect.pre(() => {
    while (keys.length < rules.length) keys.push(next++);
    if (keys.length > rules.length) keys.length = rules.length;
  });

  function move(from: number, to: number): void {
    if (to < 0 || to >= rules.length || from === to) return;
    const [made, names] = [[...rules], [...keys]];
    made.splice(to, 0, ...made.splice(from, 1));
    names.splice(to, 0, ...names.splice(from, 1));
    keys = names;
    set(made);
    requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-rule="${to}"]`)?.focus());
  }
  function out(at: number): void {
    keys = keys.filter((_, i) => i !== at);
    set(rules.filter((_, i) => i !== at));
  }
  function key(event: KeyboardEvent, at: number): void {
    if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return;
    event.preventDefault();
    move(at, at + (event.key === 'ArrowUp' ? -1 : 1));
  }
</script>

<h3 class="mt-4 border-b border-rule-strong pb-1 font-semibold">Rules <span class="text-small font-normal text-muted">the first that holds speaks</span></h3>
<ol>
  {#each rules as rule, i (keys[i])}
    <li
      class="border-b border-rule py-2 {over === i && dragged !== null ? 'bg-accent-soft' : ''}"
      ondragover={(event) => {
        if (dragged === null) return;
        event.preventDefault();
        over = i;
      }}
      ondrop={(event) => {
        event.preventDefault();
        if (dragged !== null) move(dragged, i);
        dragged = over = null;
      }}
    >
      <div class="flex items-center gap-1 pb-1">
        <button
          type="button"
          class="cursor-grab border border-rule bg-sunk px-2 text-small"
          draggable="true"
          data-rule={i}
          aria-label="Rule {i + 1}: Alt with an arrow moves it"
          onkeydown={(event) => key(event, i)}
          ondragstart={() => (dragged = i)}
          ondragend={() => (dragged = over = null)}>{i + 1}</button
        >
        <span class="flex-1 text-small font-medium">{String(rule.title ?? rule.id ?? '')}</span>
        <button type="button" class="tool" aria-label="Move rule {i + 1} up" disabled={i === 0} onclick={() => move(i, i - 1)}>up</button>
        <button type="button" class="tool" aria-label="Move rule {i + 1} down" disabled={i === rules.length - 1} onclick={() => move(i, i + 1)}>down</button>
        <button type="button" class="tool" aria-label="Take out rule {i + 1}" onclick={() => out(i)}>out</button>
      </div>
      <RuleForm {rule} path="{path}[{i}]" number={i + 1} {language} {problems} set={(made) => set(rules.map((each, j) => (j === i ? made : each)))} />
    </li>
  {/each}
</ol>
<button type="button" class="action mt-2" onclick={() => set([...rules, { then: 'require mfa' }])}>Add a rule</button>
