import { QueryClientProvider } from "@tanstack/react-query";
import * as Tooltip from "@radix-ui/react-tooltip";
import { setNonce } from "get-nonce";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Redirect, Route, Switch } from "wouter";
import { nonce } from "@/api/client";
import { listen } from "@/api/events";
import { queries, useProjects } from "@/api/queries";
import { Shell } from "@/app/Shell";
import { StartProject } from "@/app/StartProject";
import { Bench, Deliveries, Game, Materials, Project, Sources, Surfaces } from "@/app/Views";
import { ProblemNote } from "@/parts/ProblemNote";
import "./tokens.css";

setNonce(nonce);
listen();

function Home() {
  const { data, error } = useProjects();
  if (error) return <ProblemNote error={error} />;
  if (!data) return null;
  const first = data[0];
  if (first) return <Redirect to={`/p/${first.id}/surfaces`} replace />;
  return <StartProject />;
}

function App() {
  return (
    <Switch>
      <Route path="/p/:project/sources">
        {({ project }) => (
          <Shell project={project}>
            <Sources key={project} project={project} />
          </Shell>
        )}
      </Route>
      <Route path="/p/:project/surfaces">
        {({ project }) => (
          <Shell project={project}>
            <Surfaces project={project} />
          </Shell>
        )}
      </Route>
      <Route path="/p/:project/bench/:surface">
        {({ project, surface }) => (
          <Shell project={project}>
            <Bench key={surface} project={project} id={surface} />
          </Shell>
        )}
      </Route>
      <Route path="/p/:project/materials">
        {({ project }) => (
          <Shell project={project}>
            <Materials project={project} />
          </Shell>
        )}
      </Route>
      <Route path="/p/:project/deliveries">
        {({ project }) => (
          <Shell project={project}>
            <Deliveries project={project} />
          </Shell>
        )}
      </Route>
      <Route path="/p/:project/game">
        {({ project }) => (
          <Shell project={project}>
            <Game project={project} />
          </Shell>
        )}
      </Route>
      <Route path="/p/:project/project">
        {({ project }) => (
          <Shell project={project}>
            <Project key={project} project={project} />
          </Shell>
        )}
      </Route>
      <Route path="/start">
        <StartProject />
      </Route>
      <Route>
        <Home />
      </Route>
    </Switch>
  );
}

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <Tooltip.Provider delayDuration={500}>
          <App />
        </Tooltip.Provider>
      </QueryClientProvider>
    </StrictMode>,
  );
}
