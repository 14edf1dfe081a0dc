<svelte:head><title>About</title></svelte:head><h1>About</h1>
