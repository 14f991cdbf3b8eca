//! Apache Arrow and Parquet: the time first, units in the fields' metadata.

use crate::table::{Data, FormatError, Table};
use arrow_array::{ArrayRef, Float64Array, RecordBatch};
use arrow_ipc::writer::FileWriter;
use arrow_schema::{DataType, Field, Schema};
use parquet::arrow::ArrowWriter;
use std::collections::HashMap;
use std::sync::Arc;

fn batch(table: &Table) -> Result<RecordBatch, FormatError> {
    let field = |name: &str, unit: &str| {
        let metadata = HashMap::from([("unit".to_owned(), unit.to_owned())]);
        Field::new(name, DataType::Float64, false).with_metadata(metadata)
    };
    let fields = std::iter::once(field("t", "s")).chain(table.columns.iter().map(|c| field(&c.name, &c.unit)));
    let schema = Arc::new(Schema::new(fields.collect::<Vec<_>>()));
    let arrays = std::iter::once(&table.times).chain(table.columns.iter().map(|c| &c.values));
    let arrays = arrays.map(|values| Arc::new(Float64Array::from(values.clone())) as ArrayRef);
    RecordBatch::try_new(schema, arrays.collect()).map_err(|error| FormatError(error.to_string()))
}

/// The table as an Arrow IPC file.
///
/// # Errors
/// [`FormatError`] if columns are not as long as the times.
pub fn arrow(table: &Table) -> Result<Data, FormatError> {
    let batch = batch(table)?;
    let written = || {
        let mut writer = FileWriter::try_new(Vec::new(), &batch.schema())?;
        writer.write(&batch)?;
        writer.into_inner()
    };
    written().map_err(|error| FormatError(error.to_string()))
}

/// The table as a Parquet file.
///
/// # Errors
/// [`FormatError`] if columns are not as long as the times.
pub fn parquet(table: &Table) -> Result<Data, FormatError> {
    let batch = batch(table)?;
    let written = || {
        let mut writer = ArrowWriter::try_new(Vec::new(), batch.schema(), None)?;
        writer.write(&batch)?;
        writer.into_inner()
    };
    written().map_err(|error| FormatError(error.to_string()))
}
