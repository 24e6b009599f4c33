import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";

const KEYS: [string, string][] = [
  ["1 … 8", "open a stage"],
  ["r", "run to the stage at hand"],
  ["g", "go to anything by name"],
  ["f", "show the whole model"],
  ["l", "mesh lines on or off"],
  ["arrows", "turn the model"],
  ["+  −", "nearer, farther"],
  ["s", "slice on or off"],
  [",  .", "the slice back or on by one cell"],
  ["t b m", "turn, box, ruler (measure)"],
  ["Esc", "back to turning; select nothing"],
  ["Ctrl Z", "undo; with Shift redo"],
  ["?", "this sheet"],
];

const MOUSE: [string, string][] = [
  ["drag", "turn about what is under the pointer"],
  ["double click", "leaves the cell there alone, with those around it"],
  ["wheel", "zoom to the pointer"],
  ["right drag", "move"],
  ["click", "select a face; with Shift add or take off; in Layers, the layers there"],
];

export function Shortcuts({ open, close }: { open: boolean; close: () => void }) {
  return (
    <Dialog open={open} onClose={close} className="relative z-50">
      <div className="fixed inset-0 grid place-items-center bg-ink/25 p-6">
        <DialogPanel className="w-[420px] border border-ink bg-sheet p-6">
          <DialogTitle className="heading text-[22px]">Keys and pointer</DialogTitle>
          <dl className="mt-3 grid grid-cols-[110px_1fr] gap-y-1.5">
            {[...KEYS, ...MOUSE].map(([key, words]) => (
              <div key={key} className="contents">
                <dt className="font-semibold">{key}</dt>
                <dd>{words}</dd>
              </div>
            ))}
          </dl>
          <button type="button" className="action mt-5" onClick={close}>
            Close
          </button>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
