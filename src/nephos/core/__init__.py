"""The computation: no framework, no network, no input or output but the files it is handed."""
