"""Every reader of foreign things against broken and hostile input, in processes that may die."""
