<script lang="ts">
  // A device: each standard with its checks and fixes, the age of what is known, who signs in from it.
  import { inventory } from '../../lib/api/inventory';
  import type { DeviceProfile } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import EditThing from './EditThing.svelte';
  import { FIELDS, typedField } from './fields';
  import Reach from './Reach.svelte';
  import SigninLines from './SigninLines.svelte';

  let { id }: { id: string } = $props();
  const profile = new Load<DeviceProfile>();
  const load = () => void profile.run((signal) => inventory.device(id, signal));
  $effect(load);
  let editing = $state(false);
  const failing = $derived((profile.value?.standards ?? []).filter((each) => each.truth !== 'true'));
</script>

<Heading place="Device · {id}">
  {#if profile.value}
    {profile.value.item.title || id}{failing.length ? ` does not pass ${failing.map((each) => each.title).join(' and ')}` : profile.value.standards.length ? ' passes every standard' : ''}.
  {:else}{profile.problem ? 'This device cannot be shown.' : 'Loading …'}{/if}
  {#snippet aside()}{#if profile.value && session.info?.role === 'operator'}<button class="action" onclick={() => (editing = !editing)}>Change</button>{/if}{/snippet}
</Heading>

{#if profile.problem}<Failing problem={profile.problem} again={load} />
{:else if !profile.value}<Waiting lines={10} />
{:else}
  {@const it = profile.value}
  {#if editing}<EditThing noun="devices" item={it.item} done={() => { editing = false; load(); }} cancel={() => (editing = false)} />{/if}
  <div class="grid gap-x-10 gap-y-7 lg:grid-cols-[minmax(0,1fr)_21rem]">
    <div class="flex min-w-0 flex-col gap-7">
      {#each it.standards as standard (standard.standard)}
        <section aria-label={standard.title}>
          <h2 class="flex items-baseline gap-3 text-lead font-semibold"><a href="#/rulebook/standard/{encodeURIComponent(standard.standard)}">{standard.title}</a>
            <span class="text-small font-normal"><Mark value={standard.truth} word={standard.truth === 'true' ? 'passes' : standard.truth === 'false' ? 'does not pass' : 'not known'} /></span></h2>
          <ul class="text-small">
            {#each standard.checks as check (check.check)}
              <li class="flex flex-wrap gap-x-3 border-t border-rule py-1">
                <Mark value={check.truth} word={check.title} />
                {#if check.truth !== 'true'}<span>{check.fix || 'no fix is written'}</span>{/if}
              </li>
            {/each}
          </ul>
        </section>
      {/each}
      {#if it.owner && it.reach.length}<Reach reach={it.reach} person={it.owner.id} device={id} how="By a plain sign-in of {it.owner.title} from it, with a password alone." />{/if}
      <SigninLines lines={it.signins} all="#/signins?device={encodeURIComponent(id)}" />
    </div>
    <aside class="flex flex-col gap-6 text-small">
      <section>
        <h2 class="mb-1 text-lead font-semibold">What is known</h2>
        <dl class="grid grid-cols-[7rem_minmax(0,1fr)] gap-x-3 gap-y-1">
          <dt class="text-muted">Belongs to</dt><dd>{#if it.owner}<a href="#/inventory/people/{encodeURIComponent(it.owner.id)}">{it.owner.title}</a>{:else}nobody named{/if}</dd>
          {#each FIELDS.devices.filter((field) => !['title', 'person'].includes(field.name)) as field (field.name)}
            {@const value = typedField(field, it.item.document[field.name])}
            {#if value}<dt class="text-muted">{field.label}</dt><dd class="wrap-anywhere">{value}</dd>{/if}
          {/each}
          <dt class="text-muted">State</dt><dd>{it.state_at ? `${it.state_age} old, of ${moment(it.state_at)}` : 'never reported'}</dd>
        </dl>
      </section>
      <section>
        <h2 class="mb-1 text-lead font-semibold">Who signs in from it</h2>
        {#each it.users as user (user.person)}
          <p class="border-t border-rule py-1"><a href="#/inventory/people/{encodeURIComponent(user.person)}">{user.title}</a> <span class="text-muted">{count(user.count, 'sign-in')} of the last, {moment(user.last)}</span></p>
        {:else}<p class="text-muted">Nobody yet.</p>{/each}
      </section>
    </aside>
  </div>
{/if}
