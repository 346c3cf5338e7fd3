"""Steps and plans of the plug-in checklist as data, and the walk through one."""
