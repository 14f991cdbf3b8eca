import { ChevronDown, FileUp, Plus } from "lucide-react";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";

import { useBeginFromTemplate, useCreateSupply, useTemplates, type Supply } from "../api/client";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";

/** What most supplies of the trade are fed from; the requirements view is where it is changed. */
const EMPTY: Supply = {
  mellow_coil: 1,
  title: "New supply",
  notes: "",
  values: [],
  stages: [],
  parts: [],
  studies: [],
  readings: [],
  requirements: [],
  source: { kind: "mains", voltage: "230", lowest: "207", highest: "253", frequency: "50" },
};

/** Begins an empty supply, or one from a template, or takes one in from a document. */
export function NewSupply() {
  const create = useCreateSupply();
  const template = useBeginFromTemplate();
  const templates = useTemplates();
  const navigate = useNavigate();
  const file = useRef<HTMLInputElement>(null);
  const [problem, setProblem] = useState<string>();
  const begin = (document: Supply, view: string) =>
    create.mutate(document, { onSuccess: ({ id }) => void navigate(`/supplies/${id}/${view}`) });
  const take = async (chosen: File | undefined) => {
    setProblem(undefined);
    if (!chosen) return;
    try {
      begin(JSON.parse(await chosen.text()) as Supply, "desk");
    } catch (error) {
      setProblem(`${chosen.name} is not a readable JSON document: ${String(error)}`);
    }
  };
  return (
    <div className="flex items-center gap-2">
      {(problem ?? create.error ?? template.error) && (
        <span role="alert" className="max-w-xl text-missed">
          {problem ?? (create.error ?? template.error)?.message}
        </span>
      )}
      <input
        ref={file}
        type="file"
        accept=".json,application/json"
        className="sr-only"
        aria-label="Document to import"
        tabIndex={-1}
        onChange={(event) => void take(event.target.files?.[0])}
      />
      <Button onClick={() => file.current?.click()}>
        <FileUp size={16} /> Import
      </Button>
      <Menu
        className="w-96"
        trigger={
          <Button>
            From a template <ChevronDown size={14} />
          </Button>
        }
      >
        {templates.data?.map(({ id, title, help }) => (
          <MenuItem
            key={id}
            textValue={title}
            onSelect={() =>
              template.mutate(id, {
                onSuccess: (made) => void navigate(`/supplies/${made.id}/requirements`),
              })
            }
          >
            <span className="font-semibold">{title}</span>
            <span className="block text-xs leading-4 text-muted">{help}</span>
          </MenuItem>
        ))}
      </Menu>
      <Button look="main" disabled={create.isPending} onClick={() => begin(EMPTY, "requirements")}>
        <Plus size={16} /> New supply
      </Button>
    </div>
  );
}
