const KEY = "mellow-coil-theme";

/** Light or dark as chosen, else as the system prefers. */
export function currentTheme(): "light" | "dark" {
  const chosen = localStorage.getItem(KEY);
  if (chosen === "light" || chosen === "dark") return chosen;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

export function applyTheme() {
  document.documentElement.dataset.theme = currentTheme();
}

export function toggleTheme() {
  localStorage.setItem(KEY, currentTheme() === "dark" ? "light" : "dark");
  applyTheme();
  window.dispatchEvent(new Event("themechange"));
}
