import "@fontsource/atkinson-hyperlegible-mono/400.css";
import "@fontsource/atkinson-hyperlegible-mono/600.css";
import "@fontsource/atkinson-hyperlegible-next/400.css";
import "@fontsource/atkinson-hyperlegible-next/600.css";
// These have the µ, Ω and Δ that the others lack.
import "@fontsource/noto-sans/greek-400.css";
import "@fontsource/noto-sans/greek-600.css";
import "@fontsource/noto-sans/latin-400.css";
import "@fontsource/noto-sans/latin-600.css";
import "@fontsource/noto-sans-mono/greek-400.css";
import "@fontsource/noto-sans-mono/greek-600.css";
import "@fontsource/noto-sans-mono/latin-400.css";
import "@fontsource/noto-sans-mono/latin-600.css";
import "./theme.css";

import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router";

import { SupplyFrame } from "./frame/frame";
import { Library } from "./library/library";
import { NotHere } from "./ui/states";
import { applyTheme } from "./ui/theme";

const router = createBrowserRouter([
  { path: "/", element: <Library /> },
  { path: "/supplies/:supply/:view?", element: <SupplyFrame /> },
  { path: "*", element: <NotHere /> },
]);

// A server on this machine answers without any net.
const client = new QueryClient({
  defaultOptions: { queries: { retry: 1, networkMode: "always" }, mutations: { networkMode: "always" } },
});

applyTheme();
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );
}
