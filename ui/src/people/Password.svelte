<script lang="ts">
  import { Button, Input } from "flowbite-svelte";

  /** A password, which can be looked at while it is typed. */
  let {
    value = $bindable(),
    ...rest
  }: {
    value: string;
    id?: string;
    name?: string;
    autocomplete?: AutoFill;
    required?: boolean;
    minlength?: number;
    maxlength?: number;
    placeholder?: string;
    "aria-describedby"?: string;
  } = $props();

  let seen = $state(false);
</script>

<span class="password gap-1.5 flex items-center">
  <Input {...rest} class="field flex-1 min-w-0" type={seen ? "text" : "password"} bind:value spellcheck="false" autocapitalize="off" />
  <Button type="button" aria-pressed={seen} aria-label="Show the password" onclick={() => (seen = !seen)}>{seen ? "Hide" : "Show"}</Button>
</span>
