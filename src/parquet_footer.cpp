#include "parquet_bytes.h"

namespace nubrek {
namespace {

// What a column holds, from its physical type and what is said of it in the old and the new way.
ParquetKind kind_of(int physical, int converted, int logical, bool is_signed) {
  if (physical == 6) return converted == 0 || logical == 1 ? ParquetKind::text : ParquetKind::other;
  const bool day = converted == 6 || logical == 6;
  if (physical == 1 && day && (converted == 6 || converted < 0) && (logical == 6 || logical < 0))
    return ParquetKind::day;
  const bool plain = (converted < 0 || (converted >= 15 && converted <= 18)) &&
                     (logical < 0 || (logical == 10 && is_signed));
  if (!plain) return ParquetKind::other;
  return physical == 1   ? ParquetKind::whole32
         : physical == 2 ? ParquetKind::whole64
                         : ParquetKind::other;
}

ParquetColumn schema_element(Bytes& in, bool& nested) {
  ParquetColumn out;
  int physical = -1, converted = -1, logical = -1;
  bool is_signed = false;
  read_struct(in, [&](int id, int type) {
    switch (id) {
      case 1:
        physical = static_cast<int>(in.zigzag());
        return true;
      case 3: {
        const auto repetition = in.zigzag();
        out.optional = repetition == 1;
        nested = nested || repetition == 2;
        return true;
      }
      case 4:
        out.name = text_of(in);
        return true;
      case 5:
        nested = nested || in.zigzag() > 0;
        return true;
      case 6:
        converted = static_cast<int>(in.zigzag());
        return true;
      case 10:
        if (type != kStruct) return false;
        read_struct(in, [&](int kind, int of) {
          logical = kind;
          if (kind != 10 || of != kStruct) return false;
          read_struct(in, [&](int field, int flag) {
            is_signed = is_signed || (field == 2 && flag == kTrue);
            return false;
          });
          return true;
        });
        return true;
      default:
        return false;
    }
  });
  out.kind = kind_of(physical, converted, logical, is_signed);
  return out;
}

ParquetChunk column_chunk(Bytes& in) {
  ParquetChunk out;
  std::int64_t data = 0, dictionary = 0;
  read_struct(in, [&](int id, int type) {
    if (id != 3 || type != kStruct) return false;
    read_struct(in, [&](int field, int) {
      switch (field) {
        case 4:
          out.codec = static_cast<int>(in.zigzag());
          return true;
        case 5:
          out.values = in.zigzag();
          return true;
        case 7:
          out.bytes = in.zigzag();
          return true;
        case 9:
          data = in.zigzag();
          return true;
        case 11:
          dictionary = in.zigzag();
          return true;
        default:
          return false;
      }
    });
    return true;
  });
  out.from = dictionary > 0 && dictionary < data ? dictionary : data;
  return out;
}

}  // namespace

ParquetTable parquet_table(const std::string& path) {
  File file(path);
  const std::int64_t size = file.size();
  if (size < 12) refuse("too small");
  const std::vector<Byte> tail = file.read(size - 8, 8);
  std::uint32_t length;
  std::memcpy(&length, tail.data(), 4);
  if (std::memcmp(tail.data() + 4, "PAR1", 4) != 0 || static_cast<std::int64_t>(length) > size - 12)
    refuse("no footer");
  const std::vector<Byte> footer = file.read(size - 8 - static_cast<std::int64_t>(length), length);
  Bytes in{footer.data(), footer.data() + footer.size()};
  ParquetTable out;
  bool root = true, nested = false;
  read_struct(in, [&](int id, int type) {
    if (id == 2 && type == kList) {
      read_list(in, [&](int) {
        bool inner = false;
        ParquetColumn column = schema_element(in, inner);
        if (root) {
          root = false;
          return;
        }
        nested = nested || inner;
        out.columns.push_back(std::move(column));
      });
      return true;
    }
    if (id == 3) {
      out.rows = in.zigzag();
      return true;
    }
    if (id != 4 || type != kList) return false;
    read_list(in, [&](int) {
      read_struct(in, [&](int field, int of) {
        if (field != 1 || of != kList) return false;
        std::size_t k = 0;
        read_list(in, [&](int) {
          const ParquetChunk chunk = column_chunk(in);
          if (k >= out.columns.size()) refuse("more columns than names");
          out.columns[k++].chunks.push_back(chunk);
        });
        return true;
      });
    });
    return true;
  });
  if (nested) refuse("columns within columns");
  return out;
}

}  // namespace nubrek
