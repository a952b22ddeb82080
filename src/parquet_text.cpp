#include "parquet_text.h"
#include "parquet_pages.h"
#include "regular_file.h"
#include "threads.h"

namespace nubrek {
namespace {

// One run of pages of one column.
class ChunkReader {
 public:
  ChunkReader(const std::vector<Byte>& bytes, const ParquetColumn& column, int codec, int missing,
              Coder& coder, std::vector<int>& out)
      : in_{bytes.data(), bytes.data() + bytes.size()},
        optional_(column.optional),
        kind_(column.kind),
        codec_(codec),
        missing_(missing),
        coder_(coder),
        out_(out) {}

  void read(std::int64_t values) {
    const std::size_t wanted = out_.size() + static_cast<std::size_t>(values);
    while (out_.size() < wanted) {
      const PageHeader head = page_header(in_);
      if (head.kind != 2 && head.values > values) refuse("more values than rows");
      const Byte* body = in_.take(static_cast<std::size_t>(head.packed));
      if (head.kind == 2)
        dictionary(head,
                   open(body, static_cast<std::size_t>(head.packed), true, dictionary_bytes_));
      else if (head.kind == 0) {
        Bytes page = open(body, static_cast<std::size_t>(head.packed), true, page_bytes_);
        Bytes levels{nullptr, nullptr};
        if (optional_) {
          const std::size_t n = page.number32();
          const Byte* at = page.take(n);
          levels = {at, at + n};
        }
        data(head, levels, page);
      } else if (head.kind == 3) {
        const std::size_t n = static_cast<std::size_t>(head.levels);
        if (n > static_cast<std::size_t>(head.packed)) refuse("a page that does not fit");
        data(head, {body, body + n},
             open(body + n, static_cast<std::size_t>(head.packed) - n, head.compressed,
                  page_bytes_));
      } else
        refuse("a page that is not known");
    }
    if (out_.size() != wanted) refuse("more values than rows");
  }

 private:
  Bytes open(const Byte* body, std::size_t n, bool compressed, std::vector<Byte>& room) {
    if (codec_ == 0 || !compressed) return {body, body + n};
    if (codec_ != 1) refuse("another compression");
    unpack(body, n, room);
    return {room.data(), room.data() + room.size()};
  }
  // The dictionary's texts stay while their pages are read, so their bytes do.
  void dictionary(const PageHeader& head, Bytes page) {
    if (head.encoding != 0 && head.encoding != 2) refuse("a dictionary that is not known");
    words_.clear();
    PlainTexts texts(kind_, static_cast<std::size_t>(head.values), page, dictionary_room_);
    for (std::int64_t i = 0; i < head.values; ++i) words_.push_back(texts.next(page));
    codes_.assign(words_.size(), 0);
  }
  void data(const PageHeader& head, Bytes levels, Bytes page) {
    const std::size_t n = static_cast<std::size_t>(head.values);
    std::size_t there = n;
    SmallNumbers level(levels, 1);
    const bool whole = !optional_ || level.take_equal(n, 1);
    if (!whole) {
      present_.assign(n, 1);
      there = 0;
      for (auto& one : present_) {
        one = static_cast<char>(level.next());
        there += one != 0;
      }
    }
    found_.resize(there);
    if (head.encoding == 0) {
      texts_.clear();
      PlainTexts texts(kind_, there, page, page_room_);
      for (std::size_t i = 0; i < there; ++i) texts_.push_back(texts.next(page));
      coder_.code(texts_.data(), there, found_.data());
    } else if (head.encoding == 2 || head.encoding == 8) {
      SmallNumbers index({page.p + (page.left() > 0), page.end}, page.left() > 0 ? *page.p : 0);
      // new words are looked up together, in the order in which they come
      texts_.clear();
      fresh_.clear();
      for (std::size_t i = 0; i < there; ++i) {
        const std::uint32_t at = index.next();
        if (at >= words_.size()) refuse("a word outside the dictionary");
        found_[i] = static_cast<int>(at);
        if (codes_[at] != 0) continue;
        codes_[at] = -1;
        texts_.push_back(words_[at]);
        fresh_.push_back(at);
      }
      new_codes_.resize(texts_.size());
      coder_.code(texts_.data(), texts_.size(), new_codes_.data());
      for (std::size_t k = 0; k < fresh_.size(); ++k) codes_[fresh_[k]] = new_codes_[k];
      for (auto& one : found_) one = codes_[static_cast<std::size_t>(one)];
    } else
      refuse("another encoding");
    if (whole) {
      out_.insert(out_.end(), found_.begin(), found_.end());
      return;
    }
    std::size_t next = 0;
    for (const char one : present_) out_.push_back(one ? found_[next++] : missing_);
  }

  Bytes in_;
  const bool optional_;
  const ParquetKind kind_;
  const int codec_, missing_;
  Coder& coder_;
  std::vector<int>& out_;
  std::vector<Byte> dictionary_bytes_, page_bytes_;
  std::vector<char> dictionary_room_, page_room_;
  std::vector<std::string_view> words_, texts_;
  std::vector<int> codes_, found_, new_codes_;
  std::vector<std::uint32_t> fresh_;
  std::vector<char> present_;
};

}  // namespace

void code_parquet_column(const std::string& path, const ParquetColumn& column, int missing,
                         Coder& coder, std::vector<int>& out) {
  File file(path);
  for (const ParquetChunk& chunk : column.chunks) {
    const std::vector<Byte> bytes = file.read(chunk.from, chunk.bytes);
    ChunkReader(bytes, column, chunk.codec, missing, coder, out).read(chunk.values);
  }
}

namespace {

// One column of all files; false where anything about it is unusual.
bool code_column(const std::vector<std::string>& files, const std::vector<ParquetTable>& tables,
                 int missing, ParquetTextColumn& out) {
  Coder coder;
  for (std::size_t f = 0; f < files.size(); ++f) {
    const ParquetColumn* mine = nullptr;
    for (const auto& column : tables[f].columns)
      if (column.kind == out.kind && column.name == out.name) mine = &column;
    if (!mine) return false;
    const std::size_t wanted = out.codes.size() + static_cast<std::size_t>(tables[f].rows);
    out.codes.reserve(wanted);
    code_parquet_column(files[f], *mine, missing, coder, out.codes);
    if (out.codes.size() != wanted) return false;
  }
  out.texts = coder.store();
  return readable(*out.texts);
}

bool same_columns(const ParquetTable& a, const ParquetTable& b) {
  if (a.columns.size() != b.columns.size()) return false;
  for (std::size_t k = 0; k < a.columns.size(); ++k)
    if (a.columns[k].name != b.columns[k].name) return false;
  return true;
}

}  // namespace

bool read_parquet_texts(const std::vector<std::string>& files, int missing, int threads,
                        ParquetTexts& out) {
  std::vector<ParquetTable> tables;
  try {
    for (const auto& file : files) tables.push_back(parquet_table(file));
  } catch (const std::exception&) {
    return false;
  }
  for (const auto& table : tables) {
    if (table.rows > 2147483646 || !same_columns(table, tables[0])) return false;
    out.rows.push_back(static_cast<int>(table.rows));
  }
  for (const auto& column : tables[0].columns) {
    out.names.push_back(column.name);
    if (column.kind != ParquetKind::other)
      out.columns.push_back({column.name, column.kind, {}, nullptr});
  }
  std::vector<char> fine(out.columns.size(), 0);
  run_tasks(out.columns.size(), threads, [&](std::size_t k) {
    try {
      fine[k] = code_column(files, tables, missing, out.columns[k]);
    } catch (const std::exception&) {
    }  // refused, or more memory than there is: the library's reader says what is wrong
  });
  std::size_t kept = 0;
  for (std::size_t k = 0; k < fine.size(); ++k)
    if (fine[k]) std::swap(out.columns[kept++], out.columns[k]);
  out.columns.resize(kept);
  return true;
}

}  // namespace nubrek
