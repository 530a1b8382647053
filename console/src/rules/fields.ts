import { shallowRef } from 'vue'
import { answered, api, type ColumnFields, type Property } from '../api/client'

/** The properties of a column as forms ask for them, as the service says; none until it has. */
const known = shallowRef<ColumnFields>()
let asked: Promise<void> | undefined

function fields(): ColumnFields {
  if (!known.value)
    asked ??= answered(api.GET('/api/v1/column-fields'))
      .then((is) => {
        known.value = is
      })
      .catch(() => (asked = undefined)) // what is shown next asks again
  return known.value ?? { datatypes: [], demands: [], habits: [] }
}

/** What the table demands of a column. */
export const demands = (): Property[] => fields().demands

/** How a sender writes a column. */
export const habits = (): Property[] => fields().habits

/** The datatypes that are offered, with what they mean. */
export const datatypes = (): ColumnFields['datatypes'] => fields().datatypes

export const datatypeWord = (datatype: string): string =>
  datatypes().find((d) => d.value === datatype)?.label ?? datatype

/** Whether a property goes with a datatype. */
export const fits = (p: Property, datatype: string): boolean =>
  p.datatypes.length === 0 || p.datatypes.includes(datatype)
