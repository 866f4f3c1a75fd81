<script lang="ts">
  // How many people each choice of a limit would have hit, a column each; one of them is picked.
  import type { Choice } from '../../lib/api/types';
  import { count, number } from '../../lib/format';

  let { choices, picked, pick, fewerThan }: { choices: Choice[]; picked: string; pick: (value: string) => void; fewerThan: number } = $props();
  const most = $derived(Math.max(1, ...choices.map((each) => each.hit.people)));
  const share = (each: Choice) => (each.hit.people * 100) / most;
  // Of a column, the part of those who would be stopped; whoever is both stopped and asked is stopped.
  const stopped = (each: Choice) => (each.hit.people ? (Math.min(each.stopped.people, each.hit.people) * 100) / each.hit.people : 0);
  const few = $derived((fewerThan * 100) / most);
  const words = (each: Choice) =>
    `${each.value}: ${count(each.hit.people, 'person', 'people')} hit in ${count(each.hit.count, 'sign-in')}, ${number(each.stopped.count)} stopped, ${number(each.asked.count)} asked for more${each.current ? '; as it is' : ''}`;

  function key(event: KeyboardEvent): void {
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
    if (!step) return;
    event.preventDefault();
    const place = choices.findIndex((each) => each.value === picked);
    const next = choices[Math.min(choices.length - 1, Math.max(0, place + step))];
    if (!next) return;
    pick(next.value);
    const columns = (event.currentTarget as HTMLElement).querySelectorAll<HTMLElement>('[role=radio]');
    columns[choices.indexOf(next)]?.focus();
  }
</script>

<!-- svelte-ignore a11y_interactive_supports_focus: its columns are what is focused -->
<div class="overflow-x-auto" role="radiogroup" aria-label="Choices" onkeydown={key}>
  <div class="relative flex min-w-max items-stretch gap-1 border-b border-rule-strong pt-5 pr-20">
    <!-- As high as a column of so many people: the whole of a column is 136 px, above the 45 px of what it is called. -->
    {#if few < 100}<span class="pointer-events-none absolute inset-x-0 z-10 border-t border-dashed border-ink text-fine text-muted" style:bottom="{45 + few * 1.36}px"><span class="absolute right-0 -top-5 bg-paper px-1">{fewerThan} people</span></span>{/if}
    {#each choices as each (each.value)}
      <button
        type="button"
        role="radio"
        aria-checked={each.value === picked}
        aria-label={words(each)}
        tabindex={each.value === picked || (!picked && each === choices[0]) ? 0 : -1}
        class="flex min-w-14 max-w-24 flex-1 flex-col justify-end px-1 pt-1 {each.value === picked ? 'bg-accent-soft' : 'hover:bg-sunk'}"
        title={words(each)}
        onclick={() => pick(each.value)}
      >
        <span class="flex h-40 w-full flex-col justify-end" aria-hidden="true">
          <span class="text-center text-fine tabular-nums {each.hit.people ? '' : 'text-muted'}">{number(each.hit.people)}</span>
          <span class="flex flex-col" style:height="{share(each) * 0.85}%">
            <span class="block w-full bg-challenged opacity-70" style:height="{100 - stopped(each)}%"></span>
            <span class="block w-full bg-blocked opacity-80" style:height="{stopped(each)}%"></span>
          </span>
        </span>
        <span class="block w-full border-t border-rule py-1 text-center text-small {each.current ? 'font-semibold' : ''}">{each.value}<span class="block h-4 text-fine font-normal text-muted">{each.current ? 'as it is' : ''}</span></span>
      </button>
    {/each}
  </div>
</div>
<p class="mt-1 flex gap-5 text-fine text-muted" aria-hidden="true">
  <span><span class="mr-1 inline-block size-2.5 bg-blocked opacity-80"></span>people who would be stopped</span>
  <span><span class="mr-1 inline-block size-2.5 bg-challenged opacity-70"></span>only asked for more</span>
</p>
