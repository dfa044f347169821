"""Page against page: variants, copies, links, differences. Arrays and tables of the whole site."""
