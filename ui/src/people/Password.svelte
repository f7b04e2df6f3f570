<script lang="ts">
  import { Button } from "flowbite-svelte";
  import type { HTMLInputAttributes } from "svelte/elements";

  /** A password, which can be looked at while it is typed. */
  let { value = $bindable(), ...rest }: { value: string } & HTMLInputAttributes = $props();

  let seen = $state(false);
</script>

<span class="password">
  <input {...rest} class="field" type={seen ? "text" : "password"} bind:value spellcheck="false" autocapitalize="off" />
  <Button type="button" aria-pressed={seen} aria-label="Show the password" onclick={() => (seen = !seen)}>{seen ? "Hide" : "Show"}</Button>
</span>

<style>
  .password {
    display: flex;
    gap: 6px;
    align-items: center;
  }
  input {
    flex: 1;
    min-width: 0;
  }
</style>
