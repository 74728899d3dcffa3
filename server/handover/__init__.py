"""The files a fit is handed over as."""
