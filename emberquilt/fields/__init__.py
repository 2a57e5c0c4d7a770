"""Fields that a router lowers to set depths, and pools that are filled with resin."""
