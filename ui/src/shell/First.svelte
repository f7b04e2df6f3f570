<!-- What a view is for, and what to do first, where there is nothing to be shown in it yet. -->
<script lang="ts">
  import { place } from "../state/place.svelte";

  let { what }: { what: string } = $props();
</script>

<p class="lead first">
  {what} Register VLANs (<a href={place.href("register")}>Register</a>) and add a device (<a href={place.href("devices")}>Devices</a>), or
  bring your own list from a file (<a href="/offices">Offices</a>).
</p>

<style>
  .first {
    padding: 12px;
  }
  a {
    text-decoration: underline;
    text-underline-offset: 2px;
  }
</style>
