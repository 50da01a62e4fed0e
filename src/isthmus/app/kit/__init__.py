"""Parts without a show: widgets, painting, theme, dialogs, tasks, actions, settings."""
