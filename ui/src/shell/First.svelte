<!-- What a view is for, and what to do first, where there is nothing to be shown in it yet. -->
<script lang="ts">
  import { place } from "../state/place.svelte";

  let { what }: { what: string } = $props();
</script>

<p class="lead first p-3">
  {what} Register VLANs (<a class="underline underline-offset-2" href={place.href("register")}>Register</a>) and add a device (<a
    class="underline underline-offset-2"
    href={place.href("devices")}>Devices</a
  >), or bring your own list from a file (<a class="underline underline-offset-2" href="/offices">Offices</a>).
</p>
