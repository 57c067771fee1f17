// Sets the theme before the first paint. A choice made in the console wins over
// that of the system.
(() => {
  const chosen = localStorage.getItem('theme');
  const dark = chosen ? chosen === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
  document.documentElement.dataset.theme = dark ? 'dark' : 'light';
})();
