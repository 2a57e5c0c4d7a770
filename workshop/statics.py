"""Static files under names that hold a hash of their content, the imports between scripts included."""

from django.contrib.staticfiles.storage import ManifestStaticFilesStorage


class HashedModules(ManifestStaticFilesStorage):
    support_js_module_import_aggregation = True
    manifest_strict = True
