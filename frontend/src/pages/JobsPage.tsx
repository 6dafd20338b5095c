/** The jobs of the shop, with their pictures. */
import { ChooseFile } from "../parts/ChooseFile";
import { useDeferredValue, useEffect, useState } from "react";
import { DropZone, Link, isFileDropItem } from "react-aria-components";
import { useNavigate } from "react-router";
import styled from "styled-components";
import { useFormats, useStorage } from "../api/shop";
import { useJobList, useJobs } from "../api/jobList";
import type { JobListed } from "../api/types";
import { ConfirmDelete } from "../parts/ConfirmDelete";
import { Deleted } from "../parts/Deleted";
import { Ask, Button, Foot, Quiet, Said } from "../parts/controls";
import { NumberField, WordField } from "../parts/fields";
import { SearchBox } from "../parts/SearchBox";
import { useUpload } from "../parts/upload";
import { NoJobsYet, SampleShopStrip } from "./SampleShopStrip";
import { Strip } from "./Strip";
import { TopBar } from "./TopBar";

const Page = styled(DropZone)`
  min-height: 100vh;
  outline: none;
  &[data-drop-target] {
    box-shadow: inset 0 0 0 3px ${(p) => p.theme.action};
  }
`;
const Tiles = styled.main`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(280px, 1fr));
  gap: 18px;
  padding: 18px 24px 32px;
  max-width: 1280px;
`;
const Tile = styled.article`
  background: ${(p) => p.theme.panel};
  border: 1px solid ${(p) => p.theme.hairline};
  position: relative;
  display: grid;
  grid-template-rows: 170px auto;
  &:hover {
    border-color: ${(p) => p.theme.action};
  }
  & .picture {
    position: relative;
    background: ${(p) => p.theme.view};
    display: grid;
    place-items: center;
    overflow: hidden;
    color: ${(p) => p.theme.muted};
    font-size: 12px;
  }
  & .picture img {
    position: absolute;
    inset: 8px;
    width: calc(100% - 16px);
    height: calc(100% - 16px);
    object-fit: contain;
  }
  & .words {
    padding: 9px 12px 7px;
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 1px 8px;
  }
  & .key {
    font: 11.5px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
    grid-column: 1 / -1;
  }
  & .tools {
    position: relative;
    z-index: 1;
    grid-column: 1 / -1;
    margin: 3px 0 0 -5px;
  }
`;
const Open = styled(Link)`
  font-weight: 600;
  text-decoration: none;
  outline: none;
  color: ${(p) => p.theme.ink};
  &::after {
    content: "";
    position: absolute;
    inset: 0;
  }
  &[data-focus-visible]::after {
    outline: 2px solid ${(p) => p.theme.action};
  }
`;
function JobTile(props: { job: JobListed; onCopy: () => void; onDelete: () => void }) {
  const { job } = props;
  return (
    <Tile>
      <div className="picture">
        {job.picture ? <img alt={job.name} src={job.picture} loading="lazy" /> : "no model yet"}
      </div>
      <div className="words">
        <Open href={`/jobs/${job.id}`}>{job.name}</Open>
        <span className="key">{job.stock}</span>
        <span className="key">
          {job.operations} {job.operations === 1 ? "operation" : "operations"} ·{" "}
          {new Date(job.updated).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" })}
        </span>
        <div className="tools">
          <Quiet aria-label={`Duplicate ${job.name}`} onPress={props.onCopy}>
            Duplicate
          </Quiet>
          <Quiet
            aria-label={`Save as a file: ${job.name}`}
            onPress={() => window.location.assign(`/api/jobs/${job.id}/file`)}
          >
            Save as a file
          </Quiet>
          <Quiet aria-label={`Delete ${job.name}`} onPress={props.onDelete}>
            Delete
          </Quiet>
        </div>
      </div>
    </Tile>
  );
}

const Room = styled.footer`
  padding: 0 24px 24px;
  display: flex;
  gap: 10px;
  align-items: center;
  font-size: 12px;
  color: ${(p) => p.theme.muted};
`;
/** Megabytes in words. */
export const megabytes = (value: number) =>
  value >= 1024 ? `${(value / 1024).toFixed(1)} GB` : `${Math.round(value)} MB`;

/** How much room calculated results take, and how much they may. */
function StorageLine() {
  const { data, change } = useStorage();
  const [asked, setAsked] = useState<number | null>(null);
  if (!data) return null;
  return (
    <Room>
      <span>
        Calculated results take {megabytes(data.kept)} of {megabytes(data.limit)}; {megabytes(data.free)} are free on
        the disk.
      </span>
      <Quiet onPress={() => setAsked(data.limit / 1024)}>Change…</Quiet>
      <Ask title="Room for calculated results" open={asked !== null} onClose={() => setAsked(null)}>
        <p>
          What the jobs as they are need is always kept. Older results, as for undo, are kept up to this size; the
          longest unused go first.
        </p>
        <NumberField
          label="Keep at most, GB"
          unit="mm"
          kind="plain"
          value={asked ?? 4}
          low={0.1}
          high={10000}
          step={1}
          onChange={setAsked}
        />
        {change.error && <Said role="alert">{change.error.message}</Said>}
        <Foot>
          <Button onPress={() => setAsked(null)}>Cancel</Button>
          <Button $main onPress={() => change.mutate((asked ?? 4) * 1024, { onSuccess: () => setAsked(null) })}>
            Keep so much
          </Button>
        </Foot>
      </Ask>
    </Room>
  );
}

const Turn = styled.nav`
  padding: 0 24px 14px;
  display: flex;
  gap: 10px;
  align-items: center;
  color: ${(p) => p.theme.muted};
`;

/** The pages of the list, where it has more than one. */
export function Pages(props: { page: number; pages: number; total: number; onPage: (page: number) => void }) {
  const { page, pages } = props;
  if (pages < 2) return null;
  return (
    <Turn aria-label="Pages of the jobs">
      <Button isDisabled={page <= 1} onPress={() => props.onPage(page - 1)}>
        Earlier page
      </Button>
      <span role="status">
        page {page} of {pages} · {props.total} jobs
      </span>
      <Button isDisabled={page >= pages} onPress={() => props.onPage(page + 1)}>
        Next page
      </Button>
    </Turn>
  );
}

export function JobsPage() {
  const [wanted, setWanted] = useState(""),
    [page, setPage] = useState(1);
  const { data: list, error } = useJobs(page, useDeferredValue(wanted));
  const { create, copy, remove } = useJobList();
  const navigate = useNavigate();
  const upload = useUpload();
  const { data: formats } = useFormats();
  const [gone, setGone] = useState<JobListed | null>(null);
  const [name, setName] = useState<string | null>(null);
  useEffect(() => {
    document.title = "Jobs · Nephos";
  }, []);

  const fromFile = (file: File) => {
    if (/\.nephos\.zip$/i.test(file.name)) {
      void upload.bringJob(file).then((job) => {
        if (job) void navigate(`/jobs/${job.id}`);
      });
      return;
    }
    void upload.bring(file).then((mesh) => {
      if (mesh)
        create.mutate(
          { name: file.name.replace(/\.[^.]+$/, ""), mesh: mesh.id },
          { onSuccess: (job) => void navigate(`/jobs/${job.id}`) },
        );
    });
  };
  const problem =
    upload.problem || error?.message || create.error?.message || copy.error?.message || remove.error?.message;
  return (
    <Page
      aria-label="Drop a mesh to make a job of it"
      onDrop={(event) => {
        const item = event.items.find(isFileDropItem);
        if (item) void item.getFile().then(fromFile);
      }}
    >
      <TopBar page="jobs">
        <SearchBox
          label="Find a job"
          value={wanted}
          onChange={(words) => {
            setWanted(words);
            setPage(1);
          }}
        />
        <Deleted kind="job" />
        <ChooseFile acceptedFileTypes={[".zip"]} onSelect={(files) => files?.[0] && fromFile(files[0])}>
          <Button>Import a job…</Button>
        </ChooseFile>
        <ChooseFile
          acceptedFileTypes={formats?.read ?? [".stl"]}
          onSelect={(files) => files?.[0] && fromFile(files[0])}
        >
          <Button>New job from a mesh…</Button>
        </ChooseFile>
        <Button $main onPress={() => setName("New job")}>
          New job
        </Button>
      </TopBar>
      {upload.state && (
        <Strip role="status">
          <span>{upload.state}</span>
          <progress max={1} value={upload.share || undefined} aria-label="Importing the mesh" />
          <Quiet onPress={upload.cancel}>Cancel</Quiet>
        </Strip>
      )}
      {problem && (
        <Strip>
          <Said role="alert">{problem}</Said>
        </Strip>
      )}
      <SampleShopStrip />
      <Tiles>
        {list?.jobs.map((job) => (
          <JobTile
            key={job.id}
            job={job}
            onCopy={() => copy.mutate({ id: job.id, name: `${job.name}, copy` })}
            onDelete={() => setGone(job)}
          />
        ))}
        {list?.total === 0 && wanted.trim() !== "" && <p>No job has “{wanted}” in its name.</p>}
        {list?.total === 0 && wanted.trim() === "" && <NoJobsYet />}
      </Tiles>
      {list && <Pages page={list.page} pages={list.pages} total={list.total} onPage={setPage} />}
      <StorageLine />
      <ConfirmDelete
        name={gone?.name ?? null}
        text="It can be brought back for 30 days (Deleted…), with all its revisions and its mesh."
        onDelete={() => gone && remove.mutate(gone.id)}
        onClose={() => setGone(null)}
      />
      <Ask title="New job" open={name !== null} onClose={() => setName(null)}>
        <WordField label="Name" value={name ?? ""} onChange={setName} />
        <Foot>
          <Button onPress={() => setName(null)}>Cancel</Button>
          <Button
            $main
            isDisabled={!name?.trim()}
            onPress={() =>
              create.mutate({ name: (name ?? "").trim() }, { onSuccess: (job) => void navigate(`/jobs/${job.id}`) })
            }
          >
            Make it
          </Button>
        </Foot>
      </Ask>
    </Page>
  );
}
