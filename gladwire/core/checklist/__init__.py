"""The plug-in checklist: dead tests, substitutes and captured plug-ins in the order of practice. Imports core only."""
