<script>let { data } = $props();</script><h1>Pier {data.name}</h1>
