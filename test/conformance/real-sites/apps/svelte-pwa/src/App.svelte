<script>
  let path = $state(location.pathname);
  const go = (to) => (event) => { event.preventDefault(); history.pushState({}, '', to); path = to; };
  const scan = () => navigator.mediaDevices.getUserMedia({ video: true });
</script>
<nav><a href="/" onclick={go('/')}>Timetable</a> <a href="/wallet" onclick={go('/wallet')}>Wallet</a></nav>
<main><h1>{path === '/wallet' ? 'Wallet' : 'Timetable'}</h1><button onclick={scan}>Scan</button></main>
<style>main { padding: 1rem; }</style>
