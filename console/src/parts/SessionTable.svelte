<!-- Sessions, the one used last first, each of which can be ended. -->
<script lang="ts">
  import type { Schemas } from "../lib/api";
  import { program } from "../lib/agent";
  import { labelled } from "../lib/labelled";
  import { moment } from "../lib/words";

  let { sessions, mayEnd, onend }: { sessions: Schemas["OpenSession"][]; mayEnd: boolean; onend: (session: string) => void } = $props();
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex: what scrolls must be reached by keyboard -->
<div class="card overflow-x-auto" role="region" aria-label="Sessions" tabindex="0">
  <table {@attach labelled} class="rows" data-test="sessions">
    <thead><tr><th>Program</th><th>From</th><th>Signed in</th><th>Last used</th><th><span class="sr-only">End</span></th></tr></thead>
    <tbody>
      {#each sessions as s (s.id)}
        <tr>
          <td title={s.agent}>{program(s.agent)}</td>
          <td class="font-mono text-sm">{s.from}</td>
          <td class="quiet text-sm whitespace-nowrap">{moment(s.signedInAt)}</td>
          <td class="quiet text-sm whitespace-nowrap">{moment(s.lastUsedAt)}</td>
          <td class="text-right whitespace-nowrap">{#if s.here}<span class="quiet">this one</span>{:else if mayEnd}<button type="button" class="link text-sm" onclick={() => onend(s.id)}>Revoke</button>{/if}</td>
        </tr>
      {:else}
        <tr><td colspan="5" class="quiet">Nobody is signed in.</td></tr>
      {/each}
    </tbody>
  </table>
</div>
