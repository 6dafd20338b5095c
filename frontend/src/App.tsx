import { lazy, Suspense, useState } from "react";
import { I18nProvider, RouterProvider as AriaRouter } from "react-aria-components";
import { BrowserRouter, Route, Routes, useNavigate, useParams } from "react-router";
import { ThemeProvider } from "styled-components";
import { CuttersPage } from "./pages/CuttersPage";
import { JobsPage } from "./pages/JobsPage";
import { MachinesPage } from "./pages/MachinesPage";
import { PostsPage } from "./pages/PostsPage";
import { PrintSheet } from "./pages/PrintSheet";
import { ShelfPage } from "./pages/ShelfPage";
import { Broken } from "./parts/Broken";
import { PaperContext } from "./parts/paper";
import { Trouble } from "./parts/Trouble";
import { GlobalStyle, paper, slate } from "./theme";

const Workspace = lazy(() => import("./workspace/Workspace").then((module) => ({ default: module.Workspace })));

const HelpPage = lazy(() => import("./help/HelpPage").then((module) => ({ default: module.HelpPage })));

function HelpRoute() {
  return (
    <Suspense fallback={null}>
      <HelpPage />
    </Suspense>
  );
}

function WorkspaceRoute() {
  const id = Number(useParams().id);
  return (
    <Suspense fallback={null}>
      <Workspace key={id} id={id} />
    </Suspense>
  );
}

function SheetRoute() {
  return <PrintSheet id={Number(useParams().id)} />;
}

function Pages() {
  const navigate = useNavigate();
  return (
    <AriaRouter navigate={(path) => void navigate(path)}>
      <Routes>
        <Route path="/" element={<JobsPage />} />
        <Route path="/cutters" element={<CuttersPage />} />
        <Route path="/shelf" element={<ShelfPage />} />
        <Route path="/machines" element={<MachinesPage />} />
        <Route path="/posts" element={<PostsPage />} />
        <Route path="/help" element={<HelpRoute />} />
        <Route path="/help/:page" element={<HelpRoute />} />
        <Route path="/jobs/:id/sheet" element={<SheetRoute />} />
        <Route path="/jobs/:id" element={<WorkspaceRoute />} />
        <Route path="*" element={<JobsPage />} />
      </Routes>
    </AriaRouter>
  );
}

export function App() {
  const [dark, setDark] = useState(localStorage.getItem("sheet") === "dark");
  const turn = () => {
    localStorage.setItem("sheet", dark ? "paper" : "dark");
    setDark(!dark);
  };
  return (
    <ThemeProvider theme={dark ? slate : paper}>
      <GlobalStyle />
      <PaperContext.Provider value={{ dark, turn }}>
        <I18nProvider locale="en-GB">
          <Trouble />
          <Broken>
            <BrowserRouter>
              <Pages />
            </BrowserRouter>
          </Broken>
        </I18nProvider>
      </PaperContext.Provider>
    </ThemeProvider>
  );
}
