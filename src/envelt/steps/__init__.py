"""The steps that need more than a line of `Study`: from columns and options to a view."""
