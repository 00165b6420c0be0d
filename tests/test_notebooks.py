from __future__ import annotations

from pathlib import Path

import nbformat
import pytest
from nbclient import NotebookClient

EXAMPLES = Path(__file__).parent.parent / "examples"


@pytest.mark.slow
@pytest.mark.parametrize("path", sorted(EXAMPLES.glob("*.ipynb")), ids=lambda path: path.stem)
def test_each_notebook_runs_from_its_top_to_its_end(path: Path) -> None:
    notebook = nbformat.read(path, as_version=4)
    shown = ["text/html" in str(cell.outputs) for cell in notebook.cells if cell.cell_type == "code"]
    assert sum(shown) >= 3
    NotebookClient(notebook, timeout=300, resources={"metadata": {"path": str(EXAMPLES)}}).execute()
    for cell in notebook.cells:
        if cell.cell_type == "code":
            assert not [out for out in cell.outputs if out.output_type == "error"]
            assert "<script" not in str(cell.outputs)
