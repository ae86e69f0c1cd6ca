<!-- A rule in a line: what a grant gives whom, or a statement with the policy it stands in. -->
<script lang="ts">
  import type { Schemas } from "../lib/api";
  import { href, terms } from "../lib/words";
  import RoleName from "./RoleName.svelte";
  import Who from "./Who.svelte";

  let { rule, who = true }: { rule: Schemas["Rule"]; who?: boolean } = $props();
</script>

{#if rule.grant}
  <RoleName name={rule.grant.role} privileged={rule.grant.privileged} />
  {#if who}<span class="quiet">for</span> <Who who={rule.grant.principal} />{/if}
  {#if terms(rule.grant)}<span class="quiet">{terms(rule.grant)}</span>{/if}
{:else if rule.statement}
  <code class="statement">{rule.statement.text}</code>
  <a class="link text-sm" href={href.policy(rule.statement.policy.id)}>{rule.statement.policy.name}</a>
{/if}
