"""The pages, in the order of the work. Each is a view on the workbench; what can be computed lives in the core."""
