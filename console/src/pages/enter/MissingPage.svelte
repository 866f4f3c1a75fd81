<script lang="ts">
  import Heading from '../../lib/parts/Heading.svelte';
</script>

<Heading place="Nothing here">There is no page at this address.</Heading>
<p>Go to the <a href="#/rulebook">rulebook</a>, <a href="#/rehearse">rehearse</a> a sign-in, or look at the <a href="#/signins">sign-ins</a>.</p>
