"""Small widgets that all pages share."""
