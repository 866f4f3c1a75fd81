<script lang="ts">
  // The fields of an object, or of a group within it, each in the form that its kind needs.
  import type { Diagnostic } from '../../../lib/api/types';
  import type { Language } from '../language.svelte';
  import Checks from './Checks.svelte';
  import Combinations from './Combinations.svelte';
  import ConditionEditor from './ConditionEditor.svelte';
  import EffectEditor from './EffectEditor.svelte';
  import FieldForm from './FieldForm.svelte';
  import type { Field } from './fields';
  import Pairs from './Pairs.svelte';
  import PlainField from './PlainField.svelte';
  import Rules from './Rules.svelte';
  import Selectors from './Selectors.svelte';
  import WeekGrid from './WeekGrid.svelte';

  type Values = Record<string, unknown>;
  let { fields, value, path, language, problems, set }: {
    fields: Field[];
    value: Values;
    path: string;
    language: Language;
    problems: Diagnostic[];
    set: (value: Values) => void;
  } = $props();
  const shown = $derived(fields.filter(({ when, unless, key }) => key in value || ((!when || when[1].includes(String(value[when[0]] ?? ''))) && !(unless && unless in value))));
  const text = (key: string) => (typeof value[key] === 'string' ? (value[key] as string) : '');
  const list = (key: string) => (Array.isArray(value[key]) ? (value[key] as unknown[]) : []);
  const wrong = (key: string) => problems.filter((found) => found.path === `${path}.${key}` || found.path?.startsWith(`${path}.${key}[`));

  /** Set a field; what is empty is left out. */
  function put(key: string, to: unknown): void {
    const empty = to === '' || (Array.isArray(to) && !to.length) || (to !== null && typeof to === 'object' && !Array.isArray(to) && !Object.keys(to).length);
    const rest = Object.fromEntries(Object.entries(value).filter(([name]) => name !== key));
    set(empty ? rest : { ...value, [key]: to });
  }
</script>

{#each shown as field (field.key)}
  {@const id = `${path}.${field.key}`}
  {#if field.kind === 'people' || field.kind === 'apps'}
    <Selectors {id} label={field.label} side={field.kind} entries={list(field.key) as string[]} otherwise={field.otherwise} {language} set={(entries) => put(field.key, entries)} />
  {:else if field.kind === 'condition'}
    <div class="py-1"><p class="text-small">{field.label}</p>
      <ConditionEditor {id} label={field.label} {language} text={text(field.key)} set={(said) => put(field.key, said)} /></div>
  {:else if field.kind === 'effect'}
    <div class="py-1"><p class="text-small">{field.label}</p>
      <EffectEditor {id} label={field.label} {language} effects={field.effects} text={text(field.key)} set={(said) => put(field.key, said)} /></div>
  {:else if field.kind === 'rules'}
    <Rules rules={list(field.key) as Record<string, unknown>[]} path={id} {language} {problems} set={(rules) => put(field.key, rules)} />
  {:else if field.kind === 'checks'}
    <Checks checks={(value[field.key] ?? {}) as Record<string, Record<string, string>>} path={id} {language} set={(checks) => put(field.key, checks)} />
  {:else if field.kind === 'week'}
    <WeekGrid hours={(value[field.key] ?? {}) as Record<string, string[]>} set={(hours) => put(field.key, hours)} />
  {:else if field.kind === 'combinations'}
    <Combinations {id} label={field.label} hint={field.hint ?? ''} rows={list(field.key) as string[][]} set={(rows) => put(field.key, rows)} />
  {:else if field.kind === 'pairs'}
    <Pairs {id} label={field.label} hint={field.hint ?? ''} pairs={(value[field.key] ?? {}) as Values} {language} set={(pairs) => put(field.key, pairs)} />
  {:else if field.kind === 'group'}
    <fieldset class="my-2 border-l-2 border-rule pl-3">
      <legend class="text-small font-semibold">{field.label}</legend>
      <FieldForm fields={field.fields ?? []} value={(value[field.key] ?? {}) as Values} path={id} {language} {problems} set={(inner) => put(field.key, inner)} />
    </fieldset>
  {:else}
    <PlainField {id} {field} value={value[field.key]} options={language.choices(field.options)} known={field.section ? language.writing.ids(field.section) : []} set={(to) => put(field.key, to)} invalid={wrong(field.key).length > 0} />
  {/if}
  {#each field.kind === 'rules' || field.kind === 'group' ? [] : wrong(field.key) as found, i (i)}
    <p class="text-fine {found.severity === 'warning' ? 'text-challenged' : 'text-blocked'}">{found.message}{found.hint ? ` — ${found.hint}` : ''}</p>
  {/each}
{/each}
