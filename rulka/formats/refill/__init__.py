"""A person's own workbook, refilled: what may be one, what of it grows, and the same workbook with new rows."""
