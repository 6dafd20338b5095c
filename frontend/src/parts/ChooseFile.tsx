/** A button that opens the choice of a file. The same file can be chosen again. */
import { type ReactNode, useState } from "react";
import { FileTrigger } from "react-aria-components";

export function ChooseFile(props: {
  acceptedFileTypes?: string[];
  onSelect: (files: FileList | null) => void;
  children: ReactNode;
}) {
  // A file field reports no change where it holds that file already: after each choice it is a new one.
  const [turn, setTurn] = useState(0);
  return (
    <FileTrigger
      key={turn}
      {...(props.acceptedFileTypes ? { acceptedFileTypes: props.acceptedFileTypes } : {})}
      onSelect={(files) => {
        props.onSelect(files);
        setTurn(turn + 1);
      }}
    >
      {props.children}
    </FileTrigger>
  );
}
