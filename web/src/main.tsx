import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Problem } from "./api/client";
import { App } from "./App";
import { wearLast } from "./parts/look";
import "./app.css";

const cache = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 20_000,
      retry: (failures, error) => failures < 2 && !(error instanceof Problem && error.status < 500),
    },
  },
});

wearLast();
const root = document.getElementById("root");
if (!root) throw new Error("index.html has no element #root");
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={cache}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
