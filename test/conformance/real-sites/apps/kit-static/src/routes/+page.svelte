<svelte:head><title>Saltmarsh Ferry</title></svelte:head>
<h1>Timetable</h1><a href="/about">About</a> <a href="/piers/heron-point">Pier</a>
